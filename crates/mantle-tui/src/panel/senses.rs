//! The pad's sensors: turning, acceleration, and contacts on its surface.

use super::Ui;
use mantle_talk::{SURFACE, Sensed, SensedLane};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Number of lines of the bars.
pub const BARS: u16 = 3;

/// The pad's axes, as people hold it.
const AXES: [&str; 3] = ["right", "up", "near"];

/// Three numbers of one sensor.
struct Group {
    name: &'static str,
    unit: &'static str,
    /// The value of a full bar.
    far: f64,
    lane: fn(usize) -> SensedLane,
    /// Decimal places.
    digits: usize,
}

const GROUPS: [Group; 2] = [
    Group { name: "turns", unit: "°/s", far: 360.0, lane: SensedLane::Turning, digits: 0 },
    Group { name: "pull", unit: "g", far: 2.0, lane: SensedLane::Acceleration, digits: 2 },
];

/// All of it in one line.
pub fn line(ui: &mut Ui<'_>, at: Rect, sensed: &Sensed) {
    let style = if sensed.motion() > 0.02 { ui.theme.live } else { Style::new() };
    let mut x = at.x;
    for Group { name, unit, lane, digits, .. } in GROUPS {
        let one = |axis: usize| format!("{} {:+.digits$}", AXES[axis], sensed.lane(lane(axis)) + 0.0);
        let left = |x: u16| at.right().saturating_sub(x);
        x = ui.text(x, at.y, left(x), ui.theme.quiet, &format!("{name} "));
        x = ui.text(x, at.y, left(x), style, &[0, 1, 2].map(one).join(" "));
        x = ui.text(x, at.y, left(x), ui.theme.quiet, &format!(" {unit}   "));
    }
}

/// As bars, turning beside acceleration.
pub fn bars(ui: &mut Ui<'_>, at: Rect, sensed: &Sensed) {
    const BAR: u16 = 17;
    for (group, Group { name, unit, far, lane, digits }) in GROUPS.into_iter().enumerate() {
        let x = at.x + group as u16 * (at.width / 2);
        for (axis, way) in AXES.iter().enumerate() {
            let y = at.y + axis as u16;
            let value = sensed.lane(lane(axis)) + 0.0;
            ui.text(x, y, 6, ui.theme.quiet, if axis == 0 { name } else { "" });
            ui.text(x + 6, y, 6, ui.theme.quiet, way);
            both_ways(ui, Rect { x: x + 12, y, width: BAR, height: 1 }, (value / far) as f32);
            ui.text(x + 13 + BAR, y, 11, Style::new(), &format!("{value:+.digits$} {unit}"));
        }
    }
}

/// A bar from its middle to either side.
fn both_ways(ui: &mut Ui<'_>, at: Rect, share: f32) {
    let middle = at.width / 2;
    let far = ((share.abs().min(1.0) * f32::from(middle)).round() as u16).min(middle);
    let lit = if share < 0.0 { middle - far..middle } else { middle + 1..middle + far + 1 };
    for cell in 0..at.width {
        let (style, sign) = match (lit.contains(&cell), cell == middle) {
            (_, true) => (ui.theme.quiet, "│"),
            (true, _) => (ui.theme.live, "━"),
            _ => (ui.theme.line, "·"),
        };
        ui.text(at.x + cell, at.y, 1, style, sign);
    }
}

/// The surface, with a number at each contact.
pub fn surface(ui: &mut Ui<'_>, at: Rect, sensed: &Sensed) {
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
