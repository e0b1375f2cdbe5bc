//! The common pad, drawn from its state: positions and words, no colours and no signs of anybody's.

use super::{Ui, flight_picture};
use crate::widths::cells;
use mantle_talk::{PadKind, PadState, Target};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Where everything stands in the drawing.
#[derive(Clone, Copy, Debug)]
pub struct Shape {
    /// Its width and height.
    pub size: (u16, u16),
    right_trigger: u16,
    bar: u16,
    shoulders: [u16; 2],
    stick: (u16, u16),
    left_stick: (u16, u16),
    right_stick: (u16, u16),
    /// Select, Mode, Start, and their line.
    middle: ([u16; 3], u16),
    /// The middle of the four face buttons, and how far they are from it.
    face: (u16, u16, u16, u16),
    /// The same of the d-pad.
    d_pad: (u16, u16, u16, u16),
}

/// The drawing for small screens.
pub const SMALL: Shape = Shape {
    size: (62, 13),
    right_trigger: 33,
    bar: 8,
    shoulders: [14, 47],
    stick: (15, 6),
    left_stick: (0, 3),
    right_stick: (35, 6),
    middle: ([25, 32, 40], 4),
    face: (53, 4, 3, 1),
    d_pad: (24, 8, 3, 1),
};

/// The drawing where there is room.
pub const LARGE: Shape = Shape {
    size: (84, 21),
    right_trigger: 47,
    bar: 16,
    shoulders: [14, 61],
    stick: (23, 9),
    left_stick: (0, 3),
    right_stick: (46, 11),
    middle: ([38, 46, 55], 4),
    face: (72, 6, 6, 2),
    d_pad: (30, 15, 6, 2),
};

/// Draws a pad of any kind, one of its controls marked.
pub fn draw(ui: &mut Ui<'_>, area: Rect, (kind, pad): (PadKind, &PadState), shape: &Shape, chosen: Option<Target>) {
    if kind == PadKind::Common {
        return draw_common(ui, area, pad, shape, chosen);
    }
    let (width, height) = shape.size;
    let at = Rect { width: width.min(area.width), height: height.min(area.height), ..area };
    flight_picture::draw(ui, at, pad, &kind.model(), chosen);
}

fn draw_common(ui: &mut Ui<'_>, area: Rect, pad: &PadState, shape: &Shape, chosen: Option<Target>) {
    let (x, y) = (area.x, area.y);
    let is = |target: Target| chosen == Some(target);
    trigger(ui, x, y, "left trigger", pad.axes[4], shape.bar, is(Target::LeftTrigger));
    trigger(ui, x + shape.right_trigger, y, "right trigger", pad.axes[5], shape.bar, is(Target::RightTrigger));
    let button = |ui: &mut Ui<'_>, x: u16, y: u16, target: Target, name: &str, after: bool| {
        if y >= area.bottom() {
            return;
        }
        let down = pad.share(target) > 0.5;
        let (style, sign) = if down { (ui.theme.live, "●") } else { (ui.theme.line, "○") };
        let words = if is(target) {
            ui.theme.chosen
        } else if down {
            ui.theme.live
        } else {
            Style::new()
        };
        let width = cells(name) as u16;
        if after {
            ui.text(x, y, 1, style, sign);
            ui.text(x + 2, y, width, words, name);
        } else {
            ui.text(x.saturating_sub(width + 1), y, width, words, name);
            ui.text(x, y, 1, style, sign);
        }
    };
    let [left, right] = shape.shoulders;
    button(ui, x + left, y + 1, Target::LeftShoulder, "left shoulder", false);
    button(ui, x + right, y + 1, Target::RightShoulder, "right shoulder", false);
    let ([select, mode, start], line) = shape.middle;
    button(ui, x + select, y + line, Target::Select, "Select", false);
    button(ui, x + mode, y + line, Target::Mode, "Mode", false);
    button(ui, x + start, y + line, Target::Start, "Start", false);
    let (fx, fy, across, along) = shape.face;
    button(ui, x + fx, y + fy - along, Target::North, "North", false);
    button(ui, x + fx - across, y + fy, Target::West, "West", false);
    button(ui, x + fx + across, y + fy, Target::East, "East", true);
    button(ui, x + fx, y + fy + along, Target::South, "South", false);
    let (dx, dy, across, along) = shape.d_pad;
    button(ui, x + dx, y + dy - along, Target::Up, "up", true);
    button(ui, x + dx - across, y + dy, Target::Left, "left", false);
    button(ui, x + dx + across, y + dy, Target::Right, "right", true);
    button(ui, x + dx, y + dy + along, Target::Down, "down", true);
    if y + dy + along + 1 < area.bottom() {
        ui.text(x + dx - 2, y + dy + along + 1, 5, ui.theme.quiet, "d-pad");
    }
    let (width, height) = shape.stick;
    for ((sx, sy), axis, target, name) in [
        (shape.left_stick, 0, Target::LeftStickPress, "left stick"),
        (shape.right_stick, 2, Target::RightStickPress, "right stick"),
    ] {
        let at = Rect { x: x + sx, y: y + sy, width, height };
        stick(ui, at, area, pad.axes[axis], pad.axes[axis + 1]);
        if let Some(target) = chosen.filter(|target| target.is_stick() && target.name().starts_with(name)) {
            edge(ui, at, target);
        }
        button(ui, at.x + width / 2 + 5, at.bottom(), target, name, false);
    }
}

/// Marks a direction of a stick at the edge of its plane.
fn edge(ui: &mut Ui<'_>, at: Rect, target: Target) {
    let (middle_x, middle_y) = (at.x + at.width / 2, at.y + at.height / 2);
    let name = target.name();
    let (x, y, sign) = match name.rsplit(' ').next() {
        Some("up") => (middle_x, at.y, "▲"),
        Some("down") => (middle_x, at.bottom() - 1, "▼"),
        Some("left") => (at.x, middle_y, "◀"),
        _ => (at.right() - 1, middle_y, "▶"),
    };
    ui.text(x, y, 1, ui.theme.key, sign);
}

fn trigger(ui: &mut Ui<'_>, x: u16, y: u16, name: &str, value: i32, bar: u16, chosen: bool) {
    let live = value > 0;
    let style = if chosen {
        ui.theme.chosen
    } else if live {
        ui.theme.live
    } else {
        Style::new()
    };
    ui.text(x, y, 13, style, name);
    ui.bar(x + 14, y, bar, value as f32 / 255.0, ui.theme.live);
    let number = format!("{:.2}", value as f32 / 255.0);
    ui.text(x + 15 + bar, y, 4, if live { ui.theme.live } else { ui.theme.quiet }, &number);
}

/// A stick's plane with its dot; up is up.
pub fn stick(ui: &mut Ui<'_>, at: Rect, area: Rect, x: i32, y: i32) {
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
    let (style, sign) = if live { (ui.theme.live, "●") } else { (ui.theme.quiet, "·") };
    ui.text(dot_x, dot_y.min(area.bottom() - 1), 1, style, sign);
}
