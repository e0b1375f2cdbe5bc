//! Changes to a profile.

use super::{Combine, Face, Leave, Target};
use crate::feel::{Setting, Shaped};
use crate::pad::{FlightShape, PadKind};
use serde::{Deserialize, Serialize};

/// A change to a binding's options.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum OptionChange {
    /// Whether it is inverted.
    Inverted(bool),
    /// The share of travel from which it counts as pressed, in thousandths; none for the default.
    Press(Option<u16>),
    /// The factor for its share, in thousandths.
    Sensitivity(u16),
    /// Milliseconds from rest to full.
    Ramp(u16),
    /// Whether presses toggle it.
    Toggle(bool),
    /// The shortest press in milliseconds.
    Shortest(u16),
    /// Presses per second while it is held, in tenths; 0 for a single press.
    Again(u16),
    /// Each press plays this many presses of default lengths; 0 for none.
    Row(u8),
    /// The share of travel below which it gives nothing, in thousandths.
    Threshold(u16),
    /// Counts only if released within this many milliseconds; 0 if it always counts.
    Tap(u16),
    /// Counts for a full deflection, or for the way across the surface; none for the default.
    Reach(Option<u32>),
    /// The spring's time in milliseconds; none for the default.
    Spring(Option<u16>),
    /// What happens when the surface is left.
    Leave(Leave),
    /// The part of the surface that counts: left, upper, right, lower edge in thousandths; none for all of it.
    Region(Option<[u16; 4]>),
}

/// A setting of the whole profile.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum WideChange {
    /// Opposite directions together: the last one wins, or neither counts.
    OppositeLast(bool),
    /// Degrees by which a stick is turned clockwise, -180 to 180.
    Turn {
        /// The right stick rather than the left.
        right: bool,
        /// The degrees.
        degrees: i16,
    },
    /// Speed of the pointer with a stick at its end, in counts per second: 10 to 20000.
    Speed(u16),
    /// Speed of the wheel in tenths of steps per second: 5 to 1000.
    Wheel(u16),
}

/// One change.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Change {
    /// Binds a target to this source alone, in a layer. None removes what the profile says about it, so that it has its default
    /// binding again.
    Source {
        /// The target.
        target: Target,
        /// The layer's name; empty for the base.
        layer: String,
        /// The source as written, or `none` for nothing.
        source: Option<String>,
        /// Whether it is inverted.
        inverted: bool,
    },
    /// Sets the control that holds or toggles a layer; none deletes the layer with everything in it.
    Layer {
        /// Its name.
        name: String,
        /// The control as written.
        hold: Option<String>,
        /// Whether it toggles.
        toggle: bool,
    },
    /// Changes an option of a target's source in a layer.
    Option {
        /// The target.
        target: Target,
        /// The layer's name; empty for the base.
        layer: String,
        /// The option.
        which: OptionChange,
    },
    /// Adds a control that must be held as well for a target's source in a layer; none removes all of them.
    With {
        /// The target.
        target: Target,
        /// The layer's name; empty for the base.
        layer: String,
        /// The control as written.
        named: Option<String>,
    },
    /// Changes a setting of the whole profile.
    Wide(WideChange),
    /// Changes how several sources of a target combine.
    Combine(Target, Combine),
    /// Names what a target does in the game; empty removes the name.
    Action(Target, String),
    /// Sets what games print for a target; empty removes it.
    Prompt(Target, String),
    /// Sets a dead zone.
    DeadZone {
        /// Of the sticks rather than the triggers.
        sticks: bool,
        /// The share of full travel in thousandths, 0 to 900.
        thousandths: u16,
    },
    /// Changes how a stick or a trigger feels.
    Feel(Shaped, Setting),
    /// Sets where the controls of the device sit, for the card; an empty face removes it.
    Face(Face),
    /// Renames the profile.
    Name(String),
}

/// A profile for a purpose, to start from.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Template {
    /// Its name.
    pub name: &'static str,
    /// What it is for.
    pub what: &'static str,
    /// The kind of pad it is meant for, with the least that pad must have.
    pub kind: PadKind,
}

/// The templates that ship.
pub static TEMPLATES: [Template; 10] = [
    template("plain", "says nothing: everything has its default binding", PadKind::Common),
    template("driving", "a wheel or stick that steers with a slow middle, pedals as triggers", PadKind::Common),
    template("flying", "a calm stick, twist or pedals as rudder, throttle as trigger", PadKind::Common),
    template("pointing", "a mouse that aims with the right stick", PadKind::Common),
    template("one-handed", "a stick and a few buttons that change sides at a press", PadKind::Common),
    template("flight-stick", "a flight stick: calm X and Y, rudder, throttle, all buttons by number", FLYING),
    template("driving-wheel", "a flight stick with wheel, gas and brake for driving games", DRIVING),
    template("keys-only", "keyboard and mouse, for games without pad support", PadKind::Keys),
    template("touch-mouse", "a touch surface that moves the pointer, taps and clicks", PadKind::Keys),
    template("keypad-motion", "a keypad and half a pad with motion, tied, as one motion pad", PadKind::Motion),
];

const FLYING: PadKind = PadKind::Flight(FlightShape::USUAL);
/// X, Y, wheel, gas, brake.
const DRIVING: PadKind = PadKind::Flight(FlightShape { axes: 0b111_0000_0011, buttons: 12, hats: 1 });

const fn template(name: &'static str, what: &'static str, kind: PadKind) -> Template {
    Template { name, what, kind }
}

/// What a new profile is made from.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum NewFrom {
    /// A template, by name.
    Template(String),
    /// A profile's file.
    File(String),
}

/// What is done to a profile's file.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum ProfileAct {
    /// Apply these changes, all or none.
    Change(Vec<Change>),
    /// Apply these as part of the last change: one undo takes both back.
    Amend(Vec<Change>),
    /// Create it from this, if it is not a file yet.
    New(NewFrom),
    /// Undo the last change.
    Back,
    /// Redo the last undone change.
    Again,
    /// Move it to the trash.
    Delete,
    /// Restore it from this file in the trash.
    BringBack(String),
    /// Import this file.
    TakeIn(String),
    /// Export its file to this path.
    HandOut(String),
}

/// Acts on profiles, whoever uses them.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum ProfileStoreAct {
    /// Move one to the trash: its users get the default bindings.
    Delete(String),
    /// Restore one from the trash.
    BringBack {
        /// Its file in the trash.
        trashed: String,
        /// The file it was.
        origin: String,
    },
    /// Import a file.
    TakeIn(String),
    /// Export a profile's file.
    HandOut {
        /// The profile.
        name: String,
        /// The destination.
        to: String,
    },
    /// Rename one: its users follow.
    Rename {
        /// Its name.
        from: String,
        /// Its new name.
        to: String,
    },
    /// Copy one.
    Copy(String),
}

/// A profile name as wanted or, if taken, with the first free number after it.
#[must_use]
pub fn free_name(wanted: &str, taken: impl Fn(&str) -> bool) -> String {
    let numbered = (2..).map(|number| format!("{wanted} {number}"));
    std::iter::once(wanted.to_owned()).chain(numbered).find(|name| !taken(name)).unwrap_or_default()
}
