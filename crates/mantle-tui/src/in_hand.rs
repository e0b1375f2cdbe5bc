//! The simulated device that the person moves.

use mantle_talk::NodeId;

/// The device in hand.
#[derive(Clone, Copy, Debug)]
pub(crate) struct InHand {
    /// Its node.
    pub node: NodeId,
    /// The part of it that is moved.
    pub part: u8,
    /// The control that the mouse holds.
    pub held: Option<u16>,
}
