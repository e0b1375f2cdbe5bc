//! The simulated devices that the person moves.

use mantle_talk::NodeId;
use ratatui::crossterm::event::KeyCode;

/// So many pictures may pass before keys that came before the device was known closely are forgotten.
const PATIENCE: u8 = 30;

/// The devices in hand: one, or all of a player's.
#[derive(Clone, Debug)]
pub(crate) struct InHand {
    /// Their nodes, each with the part that is moved.
    pub parts: Vec<(NodeId, u8)>,
    /// The control that the mouse holds: its device, its number.
    pub held: Option<((NodeId, u8), u16)>,
    /// The chosen control, by its place among all of theirs.
    pub chosen: usize,
    /// Keys that came before their controls were known, and how many pictures have passed since.
    pub early: Vec<KeyCode>,
    passed: u8,
}

impl InHand {
    /// Devices that have just been taken in hand.
    pub fn new(parts: Vec<(NodeId, u8)>) -> Self {
        Self { parts, held: None, chosen: 0, early: Vec::new(), passed: 0 }
    }

    /// Another picture has come without their controls: keys do not wait for them for ever.
    pub fn pass(&mut self) {
        self.passed = if self.early.is_empty() { 0 } else { self.passed.saturating_add(1) };
        if self.passed > PATIENCE {
            self.early.clear();
        }
    }
}
