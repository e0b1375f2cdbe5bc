//! The ways to a device's motors and lamps: what its sheet says comes before what the kernel's driver offers.

use super::Act;
use crate::device::Driven;
use crate::pad::colour_text;
use crate::sheet::Sheet;

/// Something that the kernel's driver of a device is to do.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum DriverAct {
    /// Shake it: force feedback of an event node.
    Shake {
        /// The node.
        node: String,
        /// Strength of the strong motor, 0 to 65535.
        strong: u16,
        /// Strength of the weak motor, 0 to 65535.
        weak: u16,
    },
    /// Give a lamp of the LED class a colour.
    Light {
        /// The lamp's directory.
        lamp: String,
        /// Red, green, blue.
        colour: [u8; 3],
    },
    /// Light the lamps of a player, of the LED class.
    Player {
        /// The lamps' directories in their order.
        lamps: Vec<String>,
        /// The player's number; 0 for none.
        player: u8,
    },
}

impl DriverAct {
    /// The act in words.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Shake { node, strong, weak } => format!("force feedback of {node}: {strong} and {weak} of 65535"),
            Self::Light { lamp, colour } => format!("{lamp}: {}", colour_text(*colour)),
            Self::Player { lamps, player } => format!("{} player lamps: player {player}", lamps.len()),
        }
    }
}

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

    /// Lets its motors run so strongly: the strong one, and the weak one.
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
