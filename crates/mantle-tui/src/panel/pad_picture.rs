//! The common pad, drawn as a schematic by hands: what the left hand has, what lies in the middle, what the right hand
//! has, both sides level. Positions and words; no colours, and no maker's signs.
//!
//! ```text
//! left trigger  ▁▁▁▁▁▁▁▁ 0.00        right trigger ▁▁▁▁▁▁▁▁ 0.00
//! left shoulder ○                    right shoulder ○
//!              ○ up                               ○ North
//!      left ○     ○ right                 West ○     ○ East
//!              ○ down                             ○ South
//!            d-pad                              action pad
//!       ╭─────────────╮    Select ○        ╭─────────────╮
//!       │      ·      │      Mode ○        │      ·      │
//!       ╰─────────────╯     Start ○        ╰─────────────╯
//!        left stick ○                       right stick ○
//! ```

use super::{Ui, flight_picture, senses};
use crate::widths::cells;
use mantle_talk::{PadKind, PadModel, PadState, PadTarget};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// The measures of a drawing. Both hands look the same, measured from their left edges.
#[derive(Clone, Copy, Debug)]
pub struct Shape {
    /// Width and height.
    pub size: (u16, u16),
    /// Column of the right hand.
    right: u16,
    /// The trigger's bar.
    bar: u16,
    /// Centre of the d-pad and of the four buttons, and how far those are from it.
    four: (u16, u16, u16, u16),
    /// Place and size of a stick's plane.
    stick: Rect,
    /// Place of Select, Mode and Start, and the distance between them.
    middle: (u16, u16, u16),
    /// Place of the touch surface, on pads that have one.
    surface: Rect,
}

/// The drawing for small screens.
pub const SMALL: Shape = Shape {
    size: (62, 13),
    right: 35,
    bar: 8,
    four: (13, 3, 4, 1),
    stick: Rect { x: 6, y: 6, width: 15, height: 6 },
    middle: (34, 7, 1),
    surface: Rect { x: 27, y: 2, width: 11, height: 4 },
};

/// The drawing for large screens.
pub const LARGE: Shape = Shape {
    size: (84, 21),
    right: 48,
    bar: 16,
    four: (17, 5, 6, 2),
    stick: Rect { x: 6, y: 10, width: 23, height: 9 },
    middle: (44, 12, 2),
    surface: Rect { x: 33, y: 3, width: 19, height: 6 },
};

/// Draws a pad of any kind, with one control marked.
pub fn draw(ui: &mut Ui<'_>, area: Rect, (kind, pad): (&PadKind, &PadState), shape: &Shape, chosen: Option<PadTarget>) {
    let model = kind.model();
    if model.is_as_common() {
        return draw_common(ui, area, (&model, pad), shape, chosen);
    }
    let (width, height) = shape.size;
    let at = Rect { width: width.min(area.width), height: height.min(area.height), ..area };
    flight_picture::draw(ui, at, pad, &model, chosen);
}

fn draw_common(
    ui: &mut Ui<'_>,
    area: Rect,
    (model, pad): (&PadModel, &PadState),
    shape: &Shape,
    chosen: Option<PadTarget>,
) {
    let (x, y) = (area.x, area.y);
    let is = |target: PadTarget| chosen == Some(target);
    let right = x + shape.right;
    trigger(ui, x, y, "left trigger", pad.axes[4], shape.bar, is(PadTarget::LeftTrigger));
    trigger(ui, right, y, "right trigger", pad.axes[5], shape.bar, is(PadTarget::RightTrigger));
    let button = |ui: &mut Ui<'_>, x: u16, y: u16, target: PadTarget, name: &str, after: bool| {
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
    button(ui, x + 14, y + 1, PadTarget::LeftShoulder, "left shoulder", false);
    button(ui, right + 15, y + 1, PadTarget::RightShoulder, "right shoulder", false);
    let (signs, line, step) = shape.middle;
    let middle = [(PadTarget::Select, "Select"), (PadTarget::Mode, "Mode"), (PadTarget::Start, "Start")];
    let surface = Some((PadTarget::Button(0), "surface")).filter(|(target, _)| model.has(*target));
    for ((target, name), at) in middle.into_iter().chain(surface).zip(0..) {
        button(ui, x + signs, y + line + at * step, target, name, false);
    }
    let Rect { x: beside, y: below, .. } = shape.surface;
    let at = Rect { x: x + beside, y: y + below, ..shape.surface };
    if model.more.iter().any(|node| node.surface.is_some()) && at.bottom() <= area.bottom() {
        senses::surface(ui, at, &pad.sensed);
    }
    let (fx, fy, across, along) = shape.four;
    let four = [
        (
            x,
            [PadTarget::Up, PadTarget::Left, PadTarget::Right, PadTarget::Down],
            ["up", "left", "right", "down"],
            "d-pad",
        ),
        (
            right,
            [PadTarget::North, PadTarget::West, PadTarget::East, PadTarget::South],
            ["North", "West", "East", "South"],
            "action pad",
        ),
    ];
    for (hand, [up, left, right, down], names, all) in four {
        let (cx, cy) = (hand + fx, y + fy);
        button(ui, cx, cy - along, up, names[0], true);
        button(ui, cx - across, cy, left, names[1], false);
        button(ui, cx + across, cy, right, names[2], true);
        button(ui, cx, cy + along, down, names[3], true);
        if cy + along + 1 < area.bottom() {
            ui.text(cx.saturating_sub(all.len() as u16 / 2), cy + along + 1, 10, ui.theme.quiet, all);
        }
    }
    for (hand, axis, target, name) in
        [(x, 0, PadTarget::LeftStickPress, "left stick"), (right, 2, PadTarget::RightStickPress, "right stick")]
    {
        let at = Rect { x: hand + shape.stick.x, y: y + shape.stick.y, ..shape.stick };
        stick(ui, at, area, pad.axes[axis], pad.axes[axis + 1]);
        if let Some(target) = chosen.filter(|target| target.is_stick() && target.name().starts_with(name)) {
            edge(ui, at, target);
        }
        button(ui, at.x + at.width / 2 + 5, at.bottom(), target, name, false);
    }
}

/// Marks a direction at the edge of a stick's plane.
fn edge(ui: &mut Ui<'_>, at: Rect, target: PadTarget) {
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
    let number = format!("{:.0} %", value as f32 / 255.0 * 100.0);
    ui.text(x + 15 + bar, y, 5, if live { ui.theme.live } else { ui.theme.quiet }, &number);
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
