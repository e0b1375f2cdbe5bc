//! What the kernel's driver offers of a device beside its input.

/// Ways to a device's motors, lamps and battery that the kernel offers; all empty where it offers none.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Driven {
    /// The event node that takes force-feedback effects, for example `/dev/input/event5`.
    pub shaker: Option<String>,
    /// Its lamp with a colour: a directory of the LED class.
    pub light: Option<String>,
    /// Its player lamps in their order: directories of the LED class.
    pub players: Vec<String>,
    /// Its battery: a directory of the power-supply class.
    pub power: Option<String>,
}
