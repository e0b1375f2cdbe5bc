//! One slot's pad in a small terminal: for a second monitor, or to show others what is pressed. It has no key but the one that
//! leaves, and does not claim the keyboard.
//!
//! ```text
//! Slot 2  Quay pad                   ✓ plays
//! left  ▁▁▁▁▁▁▁▁ 0.00    right ████▁▁▁▁ 0.55
//! ╭─────────────╮        ╭─────────────╮
//! │          ●  │        │      ·      │
//! ╰─────────────╯        ╰─────────────╯
//! South, left shoulder
//! ```

use crate::ascii;
use crate::board::{held, verdict};
use crate::panel::{Ui, flight_picture, pad_picture};
use crate::rows::Click;
use crate::theme::{Look, Theme};
use crate::widths::cells;
use mantle_talk::{SlotNumber, SlotRow, Snapshot};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use std::sync::Arc;

/// The smallest size that works.
pub const SMALLEST: (u16, u16) = (40, 10);

/// The state of the strip.
#[derive(Debug)]
pub struct Strip {
    look: Look,
    theme: Theme,
    slot: SlotNumber,
    snapshot: Arc<Snapshot>,
}

impl Strip {
    /// An empty strip for a slot.
    #[must_use]
    pub fn new(look: Look, slot: SlotNumber) -> Self {
        Self { look, theme: Theme::new(look), slot, snapshot: Arc::default() }
    }

    /// Handles a new snapshot. Returns whether anything visible changed.
    pub fn handle_snapshot(&mut self, snapshot: Arc<Snapshot>) -> bool {
        let before = std::mem::replace(&mut self.snapshot, snapshot);
        let seen = |snapshot: &Snapshot| {
            let row = snapshot.slots.iter().find(|row| row.number == self.slot)?;
            Some((row.names.clone(), row.pad, row.kind.clone(), row.sentence.clone(), row.is_live()))
        };
        seen(&before) != seen(&self.snapshot)
    }

    /// Draws it.
    pub fn draw(&self, frame: &mut Frame<'_>) {
        let area = frame.area();
        let mut clicks: Vec<(Rect, Click)> = Vec::new();
        let mut ui = Ui::plain(frame.buffer_mut(), self.theme, &self.snapshot, self.look.ascii, &mut clicks);
        let row = self.snapshot.slots.iter().find(|row| row.number == self.slot);
        if area.width < SMALLEST.0 || area.height < SMALLEST.1 {
            let (w, h) = SMALLEST;
            ui.text(area.x, area.y, area.width, self.theme.doubt, &format!("{w}x{h} cells are needed"));
        } else if let Some(row) = row {
            slot(&mut ui, area, row);
        } else {
            ui.text(area.x + 1, area.y, area.width - 1, self.theme.strong, &format!("Slot {}", self.slot.number()));
            ui.text(area.x + 1, area.y + 2, area.width - 1, self.theme.quiet, "It is not in use.");
        }
        if self.look.ascii {
            ascii::replace(frame.buffer_mut());
        }
    }
}

fn slot(ui: &mut Ui<'_>, area: Rect, row: &SlotRow) {
    let (mark, word) = verdict(row);
    let (style, sign) = ui.theme.mark(mark);
    let said = format!("{sign} {word}");
    let at = area.right().saturating_sub(cells(&said) as u16 + 1);
    let end = ui.text(area.x + 1, area.y, 8, ui.theme.strong, &format!("Slot {}", row.number.number()));
    let names = row.names.join(" + ");
    ui.text(end + 2, area.y, at.saturating_sub(end + 3), Style::new(), &names);
    ui.text(at, area.y, said.len() as u16, style, &said);
    let below = Rect { x: area.x + 1, y: area.y + 2, width: area.width - 2, height: area.height - 2 };
    let model = row.kind.model();
    if !model.is_written_as_common() {
        return flight_picture::draw(ui, below, &row.pad, &model, None);
    }
    for shape in [pad_picture::LARGE, pad_picture::SMALL] {
        if below.width >= shape.size.0 && below.height >= shape.size.1 {
            let middle = (below.width - shape.size.0) / 2;
            let at = Rect { x: below.x + middle, width: shape.size.0, ..below };
            return pad_picture::draw(ui, at, (&row.kind, &row.pad), &shape, None);
        }
    }
    small(ui, Rect { y: area.y + 1, height: area.height - 1, ..below }, row);
}

/// The common pad without room for its drawing: triggers, sticks, and pressed controls in words.
fn small(ui: &mut Ui<'_>, at: Rect, row: &SlotRow) {
    let right = at.x + at.width / 2 + 1;
    let wide = (at.width / 2 - 2).min(23);
    for (x, name, axis) in [(at.x, "left", 4), (right, "right", 5)] {
        let share = row.pad.axes[axis] as f32 / 255.0;
        let style = if share > 0.0 { ui.theme.live } else { ui.theme.quiet };
        ui.text(x, at.y, 5, style, name);
        ui.bar(x + 6, at.y, wide.saturating_sub(12), share, ui.theme.live);
        ui.text(x + wide - 5, at.y, 5, style, &format!("{:>3.0} %", share * 100.0));
    }
    let tall = at.height.saturating_sub(2).min(7);
    for (x, axis) in [(at.x, 0), (right, 2)] {
        let plane = Rect { x, y: at.y + 1, width: wide, height: tall };
        pad_picture::stick(ui, plane, at, row.pad.axes[axis], row.pad.axes[axis + 1]);
    }
    let down = held(row);
    let style = if down == "neutral" { ui.theme.quiet } else { ui.theme.live };
    ui.text(at.x, at.y + 1 + tall, at.width, style, &down);
}
