//! What a pad's sensors show: how it turns, how it is accelerated, and the fingers on its surface.

use super::Ui;
use mantle_talk::{SURFACE, Sensed, SensedLane};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Lines of it where there is little room, with the empty one before it.
pub const SHORT: u16 = 3;
/// Lines of it with the surface drawn.
pub const LONG: u16 = 9;

/// The pad's axes, as people hold it.
const AXES: [&str; 3] = ["right", "up", "near"];

fn numbers(sensed: &Sensed, lane: impl Fn(usize) -> SensedLane, digits: usize) -> String {
    let one = |axis: usize| format!("{} {:+.digits$}", AXES[axis], sensed.lane(lane(axis)) + 0.0);
    [0, 1, 2].map(one).join("  ")
}

/// In two lines.
pub fn short(ui: &mut Ui<'_>, at: Rect, sensed: &Sensed) {
    let style = |moves: bool| if moves { ui.theme.live } else { Style::new() };
    let moves = style(sensed.motion() > 0.02);
    let touched = style(sensed.touches.iter().any(Option::is_some));
    let turning = numbers(sensed, SensedLane::Turning, 0);
    let pull = numbers(sensed, SensedLane::Acceleration, 2);
    let x = ui.text(at.x, at.y, at.width, ui.theme.quiet, "turns °/s ");
    let x = ui.text(x, at.y, at.right().saturating_sub(x), moves, &turning);
    let x = ui.text(x, at.y, at.right().saturating_sub(x), ui.theme.quiet, "   pull g ");
    ui.text(x, at.y, at.right().saturating_sub(x), moves, &pull);
    let x = ui.text(at.x, at.y + 1, at.width, ui.theme.quiet, "surface   ");
    ui.text(x, at.y + 1, at.right().saturating_sub(x), touched, &touches(sensed));
}

fn touches(sensed: &Sensed) -> String {
    let percent = |share: i32| i64::from(share) * 100 / i64::from(SURFACE);
    let one = |(at, touch): (usize, &Option<mantle_talk::Touch>)| {
        let [x, y] = touch.as_ref()?.at.map(percent);
        Some(format!("contact {} at {x} % across, {y} % down", at + 1))
    };
    let all: Vec<String> = sensed.touches.iter().enumerate().filter_map(one).collect();
    if all.is_empty() { "nothing touches it".into() } else { all.join("; ") }
}

/// With bars for what turns and pulls, and the surface drawn beside them.
pub fn long(ui: &mut Ui<'_>, at: Rect, sensed: &Sensed) {
    const BAR: u16 = 21;
    let groups = [
        ("turns", "°/s", 360.0, SensedLane::Turning as fn(usize) -> SensedLane, 0),
        ("pull", "g", 2.0, SensedLane::Acceleration as fn(usize) -> SensedLane, 2),
    ];
    let mut y = at.y;
    for (name, unit, far, lane, digits) in groups {
        for (axis, way) in AXES.iter().enumerate() {
            let value = sensed.lane(lane(axis)) + 0.0;
            ui.text(at.x, y, 6, ui.theme.quiet, if axis == 0 { name } else { "" });
            ui.text(at.x + 6, y, 6, ui.theme.quiet, way);
            both_ways(ui, Rect { x: at.x + 12, y, width: BAR, height: 1 }, (value / far) as f32);
            ui.text(at.x + 13 + BAR, y, 12, Style::new(), &format!("{value:+.digits$} {unit}"));
            y += 1;
        }
    }
    let frame = Rect { x: at.x + 26 + BAR, width: 33.min(at.width.saturating_sub(26 + BAR)), height: LONG - 2, ..at };
    surface(ui, frame, sensed);
}

/// A bar from its middle to one side.
fn both_ways(ui: &mut Ui<'_>, at: Rect, share: f32) {
    let middle = at.width / 2;
    let far = ((share.abs().min(1.0) * f32::from(middle)).round() as u16).min(middle);
    for cell in 0..at.width {
        let lit = if share < 0.0 {
            (middle - far..middle).contains(&cell)
        } else {
            (middle + 1..=middle + far).contains(&cell)
        };
        let (style, sign) = match (lit, cell == middle) {
            (_, true) => (ui.theme.quiet, "│"),
            (true, _) => (ui.theme.live, "━"),
            _ => (ui.theme.line, "·"),
        };
        ui.text(at.x + cell, at.y, 1, style, sign);
    }
}

/// The surface, with a number where each contact is.
fn surface(ui: &mut Ui<'_>, at: Rect, sensed: &Sensed) {
    if at.width < 10 || at.height < 4 {
        return;
    }
    ui.text(at.x, at.y, at.width, ui.theme.quiet, "touch surface");
    let at = Rect { y: at.y + 1, height: at.height - 1, ..at };
    let line = "─".repeat(usize::from(at.width) - 2);
    ui.text(at.x, at.y, at.width, ui.theme.line, &format!("╭{line}╮"));
    for y in at.y + 1..at.bottom() - 1 {
        ui.text(at.x, y, 1, ui.theme.line, "│");
        ui.text(at.right() - 1, y, 1, ui.theme.line, "│");
    }
    ui.text(at.x, at.bottom() - 1, at.width, ui.theme.line, &format!("╰{line}╯"));
    for (contact, touch) in sensed.touches.iter().enumerate() {
        let Some(touch) = touch else { continue };
        let cell =
            |axis: usize, room: u16| (i64::from(touch.at[axis]) * i64::from(room - 1) / i64::from(SURFACE)) as u16;
        let (x, y) = (at.x + 1 + cell(0, at.width - 2), at.y + 1 + cell(1, at.height - 2));
        ui.text(x, y, 1, ui.theme.live, &(contact + 1).to_string());
    }
}
