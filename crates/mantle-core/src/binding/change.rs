//! What can be changed in a profile.

use super::{Combine, Leave, Target};
use crate::feel::{Setting, Shaped};
use crate::pad::{FlightShape, PadKind};
use serde::{Deserialize, Serialize};

/// What of a binding's options is changed.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum OptionChange {
    /// Whether its full end is rest.
    Inverted(bool),
    /// From this share of its travel on it counts as pressed, in thousandths; none for the usual.
    Press(Option<u16>),
    /// Its share times this, in thousandths.
    Sensitivity(u16),
    /// Milliseconds from rest to full.
    Ramp(u16),
    /// Whether each press turns it on or off.
    Toggle(bool),
    /// Milliseconds that a press lasts at least.
    Shortest(u16),
    /// Pressed so many times a second while it is held, in tenths; 0 for once.
    Again(u16),
    /// Each press plays a row of so many presses of the usual lengths; 0 for none.
    Row(u8),
    /// Below this share of its travel it gives nothing, in thousandths.
    Threshold(u16),
    /// It counts only if it is let go within so many milliseconds; 0 if it always counts.
    Tap(u16),
    /// Counts to the end, or for the way across; none for the usual.
    Reach(Option<u32>),
    /// The time of the spring in milliseconds; none for the usual.
    Spring(Option<u16>),
    /// What becomes of it when the surface is left.
    Leave(Leave),
    /// Where on the surface it counts: left, upper, right, lower edge in thousandths; none for everywhere.
    Region(Option<[u16; 4]>),
}

/// What is said for a whole profile.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum WideChange {
    /// Opposite directions together: the last one, or else neither.
    OppositeLast(bool),
    /// Degrees by which the right stick, or else the left one, is turned clockwise: -180 to 180.
    Turn {
        /// The right stick.
        right: bool,
        /// The degrees.
        degrees: i16,
    },
    /// Counts of the pointer a second with a stick at its end: 10 to 20000.
    Speed(u16),
    /// Steps of the wheel a second, in tenths: 5 to 1000.
    Wheel(u16),
}

/// One change.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Change {
    /// A target is played by this source and no other in a layer; none takes what is said about it out, so that it plays
    /// as it would unasked.
    Source {
        /// The target.
        target: Target,
        /// The layer's name; empty for the base.
        layer: String,
        /// The source as it is written, or `none` for nothing at all.
        source: Option<String>,
        /// Whether its full end is rest.
        inverted: bool,
    },
    /// A layer is held by this control, or switched by it; nothing takes the layer out, and what is said in it.
    Layer {
        /// Its name.
        name: String,
        /// The control as it is written.
        hold: Option<String>,
        /// Whether it switches.
        toggle: bool,
    },
    /// How the source of a target plays it in a layer, beyond the plain.
    Option {
        /// The target.
        target: Target,
        /// The layer's name; empty for the base.
        layer: String,
        /// What of it.
        which: OptionChange,
    },
    /// A control that has to be held as well for the source of a target in a layer; nothing takes all of them away.
    With {
        /// The target.
        target: Target,
        /// The layer's name; empty for the base.
        layer: String,
        /// The control as it is written.
        named: Option<String>,
    },
    /// Something about the whole profile.
    Wide(WideChange),
    /// What several sources of a target give together.
    Combine(Target, Combine),
    /// What the person calls a target; empty takes the name away.
    Action(Target, String),
    /// What games print for a target; empty takes it away.
    Prompt(Target, String),
    /// A dead zone: of the sticks, or of the triggers.
    DeadZone {
        /// Of the sticks, not of the triggers.
        sticks: bool,
        /// The share of full travel, in thousandths: 0 to 900.
        thousandths: u16,
    },
    /// How a stick or a trigger feels.
    Feel(Shaped, Setting),
    /// What the profile is called.
    Name(String),
}

/// A profile by purpose, to begin with.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Template {
    /// Its name.
    pub name: &'static str,
    /// What it is for.
    pub what: &'static str,
    /// The kind of pad that it is meant for, with what that has at least.
    pub kind: PadKind,
}

/// Those that there are.
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
    /// A template, by its name.
    Template(String),
    /// A profile's file.
    File(String),
}

/// What is to be done to a profile's file.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum ProfileAct {
    /// Change it; all of these or none.
    Change(Vec<Change>),
    /// Change it further, as a part of the last change: one step takes both back.
    Amend(Vec<Change>),
    /// Make it, from this; only for one that is no file yet.
    New(NewFrom),
    /// Take the last change back.
    Back,
    /// Do once more what was taken back last.
    Again,
    /// Throw it away: into the trash.
    Delete,
    /// Bring it back from there: the file in the trash.
    BringBack(String),
    /// Take a file of somebody else's in, as typed.
    TakeIn(String),
    /// Copy its file to another place, as typed.
    HandOut(String),
}

/// What is to be done with the profiles that there are, whoever plays by them.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum ProfileStoreAct {
    /// Throw one away, into the trash: who plays by it plays as guessed.
    Delete(String),
    /// Bring one back from the trash.
    BringBack {
        /// Its file in the trash.
        trashed: String,
        /// The file that it was.
        origin: String,
    },
    /// Take a file of somebody else's in.
    TakeIn(String),
    /// Copy a profile's file to another place.
    HandOut {
        /// The profile.
        name: String,
        /// Where to.
        to: String,
    },
    /// Give one another name: who plays by it follows.
    Rename {
        /// The name that it has.
        from: String,
        /// The name that it gets.
        to: String,
    },
    /// Make a copy of one.
    Copy(String),
}

/// A profile's name as it is wanted or, where that is taken, with the first number behind it that is free.
#[must_use]
pub fn free_name(wanted: &str, taken: impl Fn(&str) -> bool) -> String {
    let numbered = (2..).map(|number| format!("{wanted} {number}"));
    std::iter::once(wanted.to_owned()).chain(numbered).find(|name| !taken(name)).unwrap_or_default()
}
