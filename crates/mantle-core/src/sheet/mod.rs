//! Sheets: how one model of device is read whose own description says nothing or is wrong.

mod build;
mod hints;
mod rule;
mod vectors;
mod ways;

pub use hints::{SheetHints, SheetReceiver};
pub use rule::MatchRule;
pub use vectors::{SheetBattery, SheetContact, SheetMotion};
pub use ways::Ways;

use crate::binding::Face;
use crate::control::{ControlKind, Half, Packing, Plays, Scale, Translation, Verify};
use crate::device::Identity;
use crate::outgoing::{Encoder, KeepAlive, Lamps, Silence, StartUpStep};
use mantle_hid::Usage;
use std::sync::Arc;

/// A sheet, understood.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Sheet {
    /// The model's name.
    pub name: String,
    /// Where the sheet is, for the person.
    pub origin: String,
    /// Which devices it is for.
    pub rule: MatchRule,
    /// Which half of a pad its devices are, if they are halves.
    pub half: Option<Half>,
    /// Checksums of reports.
    pub checks: Vec<Verify>,
    /// Controls.
    pub controls: Vec<SheetControl>,
    /// Whether the descriptor's controls are kept beside those of the sheet.
    pub keep: bool,
    /// Controls that are vectors.
    pub motions: Vec<SheetMotion>,
    /// Controls that are touch contacts.
    pub contacts: Vec<SheetContact>,
    /// Where to find the battery's state.
    pub battery: Option<SheetBattery>,
    /// What wakes it.
    pub start_up: Arc<[StartUpStep]>,
    /// What keeps it awake.
    pub keep_alive: Vec<KeepAlive>,
    /// Reports that it leaves out while their controls rest.
    pub silences: Vec<Silence>,
    /// How it rumbles: strong and weak motor.
    pub rumble: Option<Encoder>,
    /// How it is lit: red, green, blue.
    pub light: Option<Encoder>,
    /// How it shows its player.
    pub lamps: Option<Lamps>,
    /// Where its controls sit, for paper.
    pub face: Face,
    /// How it is paired, for the person.
    pub pairing: Option<String>,
    /// What else the person who connects it should know.
    pub hints: SheetHints,
    /// How a receiver says that nothing is at its other end.
    pub receiver: Option<SheetReceiver>,
}

impl Sheet {
    /// The sheet that a device is read by: of those that fit, the one that says most, and the first of equals.
    pub fn best_of<'a, S: AsRef<Self>>(sheets: impl IntoIterator<Item = &'a S>, identity: &Identity) -> Option<&'a S> {
        let fitting = sheets.into_iter().filter(|sheet| sheet.as_ref().rule.fits(identity));
        fitting.reduce(|best, next| if next.as_ref().rule.weight() > best.as_ref().rule.weight() { next } else { best })
    }

    /// Whether such a device has to be sent anything, or its silence means anything.
    #[must_use]
    pub fn talks(&self) -> bool {
        !self.start_up.is_empty() || !self.keep_alive.is_empty() || !self.silences.is_empty() || self.shows()
    }

    /// Whether its devices have a motor or a lamp.
    #[must_use]
    pub fn shows(&self) -> bool {
        self.rumble.is_some() || self.has_lamps()
    }

    /// Whether they have lamps of any kind.
    #[must_use]
    pub fn has_lamps(&self) -> bool {
        self.lamps.is_some() || self.light.is_some()
    }
}

impl AsRef<Self> for Sheet {
    fn as_ref(&self) -> &Self {
        self
    }
}

/// Where a control's value comes from.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Where {
    /// From the control with this name in the descriptor.
    Usage(Usage),
    /// From bits of a report.
    Bits {
        /// Report id, 0 if the device numbers none.
        report: u8,
        /// First bit behind the id byte.
        at: u32,
        /// Bits, 1 to 32.
        size: u8,
        /// How they stand.
        packing: Packing,
        /// Whether the number is signed.
        signed: bool,
    },
}

/// A control that a sheet names.
#[derive(Clone, PartialEq, Debug)]
pub struct SheetControl {
    /// Its name.
    pub name: String,
    /// Its kind.
    pub kind: ControlKind,
    /// Where its value comes from.
    pub source: Where,
    /// Smallest and largest raw value, if not those of the bits or of the descriptor.
    pub range: Option<(i32, i32)>,
    /// Its rest, if not the usual one of its kind.
    pub rest: Option<i32>,
    /// What it plays.
    pub plays: Option<Plays>,
    /// How to interpret its raw number.
    pub translation: Translation,
    /// What it measures.
    pub scale: Option<Scale>,
}

impl SheetControl {
    /// A control about which nothing else is said yet: the first bit of a report without an id.
    #[must_use]
    pub fn new(name: &str, kind: ControlKind) -> Self {
        let source = Where::Bits { report: 0, at: 0, size: 1, packing: Packing::Little, signed: false };
        let translation = Translation::default();
        Self { name: name.into(), kind, source, range: None, rest: None, plays: None, translation, scale: None }
    }
}

#[cfg(test)]
mod tests;
