//! The common pad, drawn from its state: positions and words, no colours and no signs of anybody's.

use super::Ui;
use mantle_talk::{PadState, Target};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Width and height of the drawing.
pub const SIZE: (u16, u16) = (62, 13);

pub fn draw(ui: &mut Ui<'_>, area: Rect, pad: &PadState) {
    let (x, y) = (area.x, area.y);
    trigger(ui, x, y, "left trigger", pad.axes[4]);
    trigger(ui, x + 33, y, "right trigger", pad.axes[5]);
    let button = |ui: &mut Ui<'_>, x: u16, y: u16, target: Target, name: &str, after: bool| {
        if y >= area.bottom() {
            return;
        }
        let down = pad.share(target) > 0.5;
        let (style, sign) = if down { (ui.theme.live, "●") } else { (ui.theme.line, "○") };
        let words = if down { ui.theme.live } else { Style::new() };
        let width = name.chars().count() as u16;
        if after {
            ui.text(x, y, 1, style, sign);
            ui.text(x + 2, y, width, words, name);
        } else {
            ui.text(x.saturating_sub(width + 1), y, width, words, name);
            ui.text(x, y, 1, style, sign);
        }
    };
    button(ui, x + 14, y + 1, Target::LeftShoulder, "left shoulder", false);
    button(ui, x + 47, y + 1, Target::RightShoulder, "right shoulder", false);
    stick(ui, Rect { x, y: y + 3, width: 15, height: 6 }, area, pad.axes[0], pad.axes[1]);
    button(ui, x + 12, y + 9, Target::LeftStickPress, "left stick", false);
    button(ui, x + 25, y + 4, Target::Select, "Select", false);
    button(ui, x + 32, y + 4, Target::Mode, "Mode", false);
    button(ui, x + 40, y + 4, Target::Start, "Start", false);
    button(ui, x + 53, y + 3, Target::North, "North", false);
    button(ui, x + 50, y + 4, Target::West, "West", false);
    button(ui, x + 56, y + 4, Target::East, "East", true);
    button(ui, x + 53, y + 5, Target::South, "South", false);
    button(ui, x + 24, y + 7, Target::Up, "up", true);
    button(ui, x + 21, y + 8, Target::Left, "left", false);
    button(ui, x + 27, y + 8, Target::Right, "right", true);
    button(ui, x + 24, y + 9, Target::Down, "down", true);
    if y + 10 < area.bottom() {
        ui.text(x + 22, y + 10, 5, ui.theme.quiet, "d-pad");
    }
    stick(ui, Rect { x: x + 35, y: y + 6, width: 15, height: 6 }, area, pad.axes[2], pad.axes[3]);
    button(ui, x + 48, y + 12, Target::RightStickPress, "right stick", false);
}

fn trigger(ui: &mut Ui<'_>, x: u16, y: u16, name: &str, value: i32) {
    let live = value > 0;
    let style = if live { ui.theme.live } else { Style::new() };
    ui.text(x, y, 13, style, name);
    ui.bar(x + 14, y, 8, value as f32 / 255.0, ui.theme.live);
    ui.text(x + 23, y, 4, if live { ui.theme.live } else { ui.theme.quiet }, &format!("{:.2}", value as f32 / 255.0));
}

/// A stick's plane with its dot; up is up.
fn stick(ui: &mut Ui<'_>, at: Rect, area: Rect, x: i32, y: i32) {
    let live = x != 0 || y != 0;
    let line = if live { ui.theme.quiet } else { ui.theme.line };
    for row in 0..at.height {
        if at.y + row >= area.bottom() {
            return;
        }
        let text = match row {
            0 => format!("╭{}╮", "─".repeat(usize::from(at.width) - 2)),
            r if r + 1 == at.height => format!("╰{}╯", "─".repeat(usize::from(at.width) - 2)),
            _ => format!("│{}│", " ".repeat(usize::from(at.width) - 2)),
        };
        ui.text(at.x, at.y + row, at.width, line, &text);
    }
    let along = |value: i32, cells: u16| {
        let share = (value as f32 / 32767.0).clamp(-1.0, 1.0) / 2.0 + 0.5;
        (share * f32::from(cells - 1)).round() as u16
    };
    let dot_x = at.x + 1 + along(x, at.width - 2);
    let dot_y = at.y + 1 + along(y, at.height - 2);
    ui.text(
        dot_x,
        dot_y.min(area.bottom() - 1),
        1,
        if live { ui.theme.live } else { ui.theme.quiet },
        if live { "●" } else { "·" },
    );
}
