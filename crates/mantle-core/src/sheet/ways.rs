//! The ways to a device's motors and lamps: the sheet's come before those that the kernel's driver offers.

use super::Sheet;
use crate::device::Driven;
use crate::outgoing::{Act, DriverAct};

/// The ways to one device.
#[derive(Clone, Copy, Debug)]
pub struct Ways<'a> {
    /// What it is read by, if anything.
    pub sheet: Option<&'a Sheet>,
    /// What the kernel's driver offers.
    pub driven: &'a Driven,
}

impl Ways<'_> {
    /// Whether it has a motor that can be reached.
    #[must_use]
    pub fn shake(&self) -> bool {
        self.sheet.is_some_and(|sheet| sheet.rumble.is_some()) || self.driven.shaker.is_some()
    }

    /// Whether it has lamps that can be reached.
    #[must_use]
    pub fn shine(&self) -> bool {
        let driven = self.driven.light.is_some() || !self.driven.players.is_empty();
        driven || self.sheet.is_some_and(Sheet::has_lamps)
    }

    /// Lets its motors run this strongly: the strong one, and the weak one.
    #[must_use]
    pub fn rumble(&self, (strong, weak): (u16, u16)) -> Option<Act> {
        if let Some((sheet, encoder)) = self.sheet.and_then(|sheet| Some((sheet, sheet.rumble.as_ref()?))) {
            let share = |motor: u16| f32::from(motor) / f32::from(u16::MAX);
            return Some(encoder.encode(&[share(strong), share(weak)], &sheet.checks));
        }
        let node = self.driven.shaker.clone()?;
        Some(Act::Driver(DriverAct::Shake { node, strong, weak }))
    }

    /// Shows a player; 0 shows none.
    #[must_use]
    pub fn player(&self, player: u8) -> Option<Act> {
        if let Some((sheet, lamps)) = self.sheet.and_then(|sheet| Some((sheet, sheet.lamps.as_ref()?))) {
            return Some(lamps.encode(player, &sheet.checks));
        }
        let lamps = self.driven.players.clone();
        (!lamps.is_empty()).then_some(Act::Driver(DriverAct::Player { lamps, player }))
    }

    /// Shows a colour.
    #[must_use]
    pub fn light(&self, colour: [u8; 3]) -> Option<Act> {
        if let Some((sheet, encoder)) = self.sheet.and_then(|sheet| Some((sheet, sheet.light.as_ref()?))) {
            return Some(encoder.encode(&colour.map(|part| f32::from(part) / 255.0), &sheet.checks));
        }
        let lamp = self.driven.light.clone()?;
        Some(Act::Driver(DriverAct::Light { lamp, colour }))
    }
}
