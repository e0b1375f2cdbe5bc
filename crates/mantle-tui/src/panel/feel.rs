//! Feel: dead zones, and sticks and triggers before and after them.

use super::Ui;
use ratatui::layout::Rect;
use ratatui::style::Style;

pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let Some(detail) = ui.slot_detail() else { return };
    let snapshot = ui.snapshot;
    let Some(row) = snapshot.slots.iter().find(|row| row.number == detail.number) else { return };
    let (stick, trigger) = detail.dead_zones;
    ui.pair(area, 0, "profile", &row.profile);
    ui.pair(area, 1, "curve", "straight");
    ui.pair(area, 2, "dead zone", &format!("sticks {stick:.2}, triggers {trigger:.2} of full travel"));
    if area.height < 6 {
        return;
    }
    ui.text(area.x, area.y + 4, area.width, ui.theme.quiet, "                   before                  after");
    let names = ["left stick X", "left stick Y", "right stick X", "right stick Y", "left trigger", "right trigger"];
    for (index, name) in names.iter().enumerate() {
        let y = area.y + 5 + index as u16;
        if y >= area.bottom() {
            break;
        }
        let before = detail.before_feel[index];
        let raw = row.pad.axes[index];
        let live = before.abs() > 0.01;
        let style = if live { ui.theme.live } else { Style::new() };
        ui.text(area.x, y, 16, style, name);
        if index < 4 {
            ui.slide(area.x + 18, y, 15, (before + 1.0) / 2.0, style);
            ui.slide(area.x + 42, y, 15, (raw as f32 / 32767.0 + 1.0) / 2.0, style);
        } else {
            ui.bar(area.x + 18, y, 15, before, style);
            ui.bar(area.x + 42, y, 15, raw as f32 / 255.0, style);
        }
        ui.text(area.x + 34, y, 6, style, &format!("{before:>5.2}"));
        ui.text(area.x + 58, y, 8, style, &format!("{raw:>6}"));
    }
    ui.text(
        area.x,
        area.y + 11,
        area.width.saturating_sub(1),
        ui.theme.quiet,
        "Up and left are negative, as games count.",
    );
}
