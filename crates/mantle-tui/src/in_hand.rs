//! The simulated devices that the person moves.

use mantle_talk::NodeId;
use ratatui::crossterm::event::KeyCode;

/// After this many snapshots without details, waiting keys are dropped.
const PATIENCE: u8 = 30;

/// The devices in hand: one, or all of a player's.
#[derive(Clone, Debug)]
pub(crate) struct InHand {
    /// Their nodes, and the part of each that is moved.
    pub parts: Vec<(NodeId, u8)>,
    /// The control held by the mouse: device, number.
    pub held: Option<((NodeId, u8), u16)>,
    /// Index of the chosen control among all of theirs.
    pub chosen: usize,
    /// Keys that came before the controls were known, and how many snapshots have passed since.
    pub early: Vec<KeyCode>,
    passed: u8,
}

impl InHand {
    /// Takes these devices in hand.
    pub fn new(parts: Vec<(NodeId, u8)>) -> Self {
        Self { parts, held: None, chosen: 0, early: Vec::new(), passed: 0 }
    }

    /// Another snapshot came without their controls; keys do not wait for ever.
    pub fn pass(&mut self) {
        self.passed = if self.early.is_empty() { 0 } else { self.passed.saturating_add(1) };
        if self.passed > PATIENCE {
            self.early.clear();
        }
    }
}
