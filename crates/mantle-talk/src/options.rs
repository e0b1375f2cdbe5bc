//! The options of a binding, as stepped on the screen.

use mantle_core::binding::Leave;
use mantle_core::control::ControlKind;
use serde::{Deserialize, Serialize};

/// The options of a source, as stepped on the screen.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct OptionsView {
    /// Whether it is inverted.
    #[serde(skip_serializing_if = "is_usual")]
    pub inverted: bool,
    /// The share of travel from which it counts as pressed, in thousandths; none for the default.
    #[serde(skip_serializing_if = "is_usual")]
    pub press: Option<u16>,
    /// The factor for its share, in thousandths.
    #[serde(skip_serializing_if = "is_once")]
    pub sensitivity: u16,
    /// Milliseconds from rest to full.
    #[serde(skip_serializing_if = "is_usual")]
    pub ramp: u16,
    /// Whether presses toggle it.
    #[serde(skip_serializing_if = "is_usual")]
    pub toggle: bool,
    /// The shortest press in milliseconds.
    #[serde(skip_serializing_if = "is_usual")]
    pub shortest: u16,
    /// Presses per second while it is held, in tenths; 0 for a single press.
    #[serde(skip_serializing_if = "is_usual")]
    pub again: u16,
    /// How many presses a press plays, and whether they have default lengths; 0 for none.
    #[serde(skip_serializing_if = "is_usual")]
    pub row: (u8, bool),
    /// The share of travel below which it gives nothing, in thousandths.
    #[serde(skip_serializing_if = "is_usual")]
    pub threshold: u16,
    /// Counts only if released within this many milliseconds; 0 if it always counts.
    #[serde(skip_serializing_if = "is_usual")]
    pub tap: u16,
    /// Counts for a full deflection, or for the way across; none for the default.
    #[serde(skip_serializing_if = "is_usual")]
    pub reach: Option<u32>,
    /// The spring's time in milliseconds; none for the default.
    #[serde(skip_serializing_if = "is_usual")]
    pub spring: Option<u16>,
    /// What happens when the surface is left.
    #[serde(skip_serializing_if = "is_usual")]
    pub leave: Leave,
    /// The part of the surface that counts: left, upper, right, lower edge in thousandths; none for all of it.
    #[serde(skip_serializing_if = "is_usual")]
    pub region: Option<[u16; 4]>,
    /// The source's kind of control.
    pub kind: ControlKind,
    /// Whether it has more than two states.
    #[serde(skip_serializing_if = "is_usual")]
    pub travels: bool,
    /// Whether its device has a surface that is touched or pointed at.
    #[serde(skip_serializing_if = "is_usual")]
    pub surface: bool,
    /// How many controls have to be held as well.
    #[serde(skip_serializing_if = "is_usual")]
    pub with: u8,
    /// The profile-wide settings about the target.
    #[serde(skip_serializing_if = "is_usual")]
    pub wide: WideView,
}

/// Defaults are left out, since there are many.
pub(crate) fn is_usual<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

fn is_once(thousandths: &u16) -> bool {
    *thousandths == 1000
}

impl Default for OptionsView {
    fn default() -> Self {
        Self {
            inverted: false,
            press: None,
            sensitivity: 1000,
            ramp: 0,
            toggle: false,
            shortest: 0,
            again: 0,
            row: (0, false),
            threshold: 0,
            tap: 0,
            reach: None,
            spring: None,
            leave: Leave::default(),
            region: None,
            kind: ControlKind::Button,
            travels: false,
            surface: false,
            with: 0,
            wide: WideView::default(),
        }
    }
}

/// The profile-wide settings.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct WideView {
    /// Whether the last of opposite directions wins.
    pub opposite_last: bool,
    /// Degrees by which the left and the right stick are turned.
    pub turn: [i16; 2],
    /// Pointer counts per second with a stick at its end.
    pub speed: u16,
    /// Wheel steps per second, in tenths.
    pub wheel: u16,
}

impl Default for WideView {
    fn default() -> Self {
        let pace = mantle_core::keys::Pace::default();
        Self { opposite_last: false, turn: [0; 2], speed: pace.speed as u16, wheel: (pace.wheel * 10.0) as u16 }
    }
}
