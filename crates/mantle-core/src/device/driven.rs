//! What the kernel's driver offers of a device besides its input.

use serde::{Deserialize, Serialize};

/// A device's motors, lamps and battery as the kernel offers them; empty if it offers none.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Driven {
    /// The event node for force feedback, for example `/dev/input/event5`.
    pub shaker: Option<String>,
    /// Its coloured lamp: a directory of the LED class.
    pub light: Option<String>,
    /// Its player lamps in order: directories of the LED class.
    pub players: Vec<String>,
    /// Its battery: a directory of the power-supply class.
    pub power: Option<String>,
}
