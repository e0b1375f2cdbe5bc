//! The simulated device that the person moves.

use mantle_talk::NodeId;
use ratatui::crossterm::event::KeyCode;

/// So many pictures may pass before keys that came before the device was known closely are forgotten.
const PATIENCE: u8 = 30;

/// The device in hand.
#[derive(Clone, Debug)]
pub(crate) struct InHand {
    /// Its node.
    pub node: NodeId,
    /// The part of it that is moved.
    pub part: u8,
    /// The control that the mouse holds.
    pub held: Option<u16>,
    /// Keys that came before its controls were known, and how many pictures have passed since.
    pub early: Vec<KeyCode>,
    passed: u8,
}

impl InHand {
    /// A device that has just been taken in hand.
    pub fn new(node: NodeId, part: u8) -> Self {
        Self { node, part, held: None, early: Vec::new(), passed: 0 }
    }

    /// Another picture has come without its controls: keys do not wait for them for ever.
    pub fn pass(&mut self) {
        self.passed = if self.early.is_empty() { 0 } else { self.passed.saturating_add(1) };
        if self.passed > PATIENCE {
            self.early.clear();
        }
    }
}
