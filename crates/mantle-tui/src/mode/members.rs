//! Choosing which of a player's devices to untie.

use super::sheet;
use crate::keys::{Intent, Key, key};
use crate::panel::Ui;
use mantle_talk::{MemberId, SlotNumber, Snapshot};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// An unfinished choice of a device.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Members {
    /// The slot.
    pub slot: SlotNumber,
    /// Index of the device.
    pub chosen: MemberId,
}

impl Members {
    /// Moves the choice.
    pub fn step(&mut self, intent: Intent, snapshot: &Snapshot) {
        let row = snapshot.slots.iter().find(|row| row.number == self.slot);
        let all = row.map_or(&[][..], |row| &row.members);
        let at = all.iter().position(|member| *member == self.chosen).unwrap_or(0);
        let next = match intent {
            Intent::Up => at.saturating_sub(1),
            Intent::Down => at + 1,
            _ => at,
        };
        self.chosen = all.get(next).or(all.last()).copied().unwrap_or(self.chosen);
    }
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        key(KeyCode::Up, "↑", Intent::Up, "up", false),
        key(KeyCode::Down, "↓", Intent::Down, "down", false),
        key(KeyCode::Enter, "Enter", Intent::Open, "untie it", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "cancel", true),
    ]
}

/// Draws the chooser.
pub fn draw(ui: &mut Ui<'_>, area: Rect, members: &Members) {
    let row = ui.snapshot.slots.iter().find(|row| row.number == members.slot);
    let names = row.map_or(&[][..], |row| &row.names);
    let at = sheet(ui, area, 60, names.len() as u16 + 6, &format!("Who plays as {}", members.slot));
    for (line, name) in names.iter().enumerate() {
        let id = row.and_then(|row| row.members.get(line));
        let (y, chosen) = (at.y + line as u16, id == Some(&members.chosen));
        ui.text(at.x, y, 1, ui.theme.key, if chosen { "▸" } else { " " });
        ui.text(at.x + 2, y, at.width - 2, if chosen { ui.theme.chosen } else { Style::new() }, name);
        if let Some(id) = id {
            ui.clicks.push((Rect { y, height: 1, ..at }, crate::rows::Click::Member(*id)));
        }
    }
    let y = at.y + names.len() as u16 + 1;
    ui.text(at.x, y, at.width, ui.theme.quiet, "The untied device has no slot; p places it.");
}
