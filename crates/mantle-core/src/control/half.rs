//! Which half of a pad a device is.

/// Half of a pad, for one hand.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Half {
    /// For the left hand.
    Left,
    /// For the right hand.
    Right,
}
