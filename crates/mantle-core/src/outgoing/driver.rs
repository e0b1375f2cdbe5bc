//! What the kernel's driver of a device has to do.

use crate::pad::colour_text;

/// Something that the kernel's driver of a device has to do.
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
        /// The lamps' directories in order.
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
