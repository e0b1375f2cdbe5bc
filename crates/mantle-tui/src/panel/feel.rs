//! Feel: the settings of a stick or trigger, its curve with the live dot, its plane before and after.
//!
//! ```text
//! left stick   right stick   left trigger   right trigger      which one is seen
//! ▸ dead zone        0.04  |  ┌ out                ·  |  before        after
//!   outer dead zone  0.00  |  │              · ·      |  ╭───────╮     ╭───────╮
//!   curve        straight  |  │        · ·  ●         |  │   ·   │     │   ·   │
//!   …                      |  └───────────────── in   |  ╰───────╯     ╰───────╯
//! ```

use super::{Ui, pad_picture, seconds, traces};
use crate::rows::Click;
use crate::widths::fitting;
use mantle_talk::{FeelView, MeasureView, PadModel, Shape, Shaped};
use mantle_talk::{Knob, percent};
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::symbols::Marker;
use ratatui::widgets::Widget;
use ratatui::widgets::canvas::{Canvas, Line, Points};

const LIST: u16 = 42;
/// Size of the curve: twice as wide as high, in cells.
const CURVE: (u16, u16) = (44, 20);
/// A narrower curve would say nothing.
const SMALLEST_CURVE: u16 = 24;
const PLANE: (u16, u16) = (23, 11);

pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let Some(detail) = ui.slot_detail() else { return };
    let snapshot = ui.snapshot;
    let Some(row) = snapshot.slots.iter().find(|row| row.number == detail.number) else { return };
    let theme = ui.theme;
    let which = ui.shaped;
    let view = &detail.feel;
    let shape = *view.feel.of(which);
    let model = row.kind.model();
    let all = Shaped::of(&model);
    if all.is_empty() {
        ui.text(area.x, area.y, area.width, Style::new(), "There is no pad, so there are no sticks and triggers.");
        let words = "The speed of pointer and wheel is set in Bindings (B).";
        ui.text(area.x, area.y + 1, area.width, theme.quiet, words);
        return;
    }
    let mut x = area.x;
    for (place, one) in all.into_iter().enumerate() {
        let style = match one == which {
            true => theme.chosen,
            false if view.feel.is_own(one) => theme.strong,
            false => theme.quiet,
        };
        // Axes come right after their stick.
        let name = one.name_on(&model);
        let name = if one.is_axis() && model.names.is_empty() { &name[name.len() - 1..] } else { name.as_str() };
        let from = x;
        x = ui.text(x, area.y, area.right().saturating_sub(x).min(16), style, name) + 1;
        ui.clicks.push((Rect { x: from, width: x - from, height: 1, ..area }, Click::Shaped(place)));
        // A wider gap before the next stick or trigger.
        x += u16::from(matches!(one, Shaped::LeftY | Shaped::RightY | Shaped::LeftTrigger | Shaped::Line(_)));
    }
    let plays = match (view.flipped, view.old.is_some_and(|old| old != view.feel)) {
        (true, _) => ["▲ the OLD feel is on; f: the new one", "▲ OLD; f: new"],
        (false, true) => ["the new feel is on; f: the old one", "new; f: old"],
        (false, false) => ["", ""],
    };
    let room = area.right().saturating_sub(x + 2);
    let style = if view.flipped { theme.doubt } else { theme.quiet };
    ui.text(x + 2, area.y, room, style, fitting(&plays, usize::from(room)));
    let body = Rect { y: area.y + 2, height: area.height.saturating_sub(2), ..area };
    let used = draw_list(ui, Rect { width: body.width.min(LIST), ..body }, which, &shape);
    let at = which.axis();
    let before = |lane: usize| detail.before_feel.get(lane).copied().unwrap_or(0.0);
    let apart = !which.is_axis() && at < 4 && view.feel.is_apart(at / 2);
    let (bx, by) = if which.is_stick() { (before(at), before(at + 1)) } else { (before(at), 0.0) };
    let (ax, ay) = (row.pad.lane(at), if which.is_stick() { row.pad.lane(at + 1) } else { 0 });
    let distance = bx.hypot(by).min(1.0);
    let below = Rect { y: body.y + used + 1, height: body.height.saturating_sub(used + 1), ..body };
    let talked = draw_talk(ui, Rect { width: body.width.min(LIST), ..below }, view, (which, &model), apart);
    let width = CURVE.0.min(body.width.saturating_sub(LIST + 2));
    if width < SMALLEST_CURVE {
        return;
    }
    let height = (width / 2 - 2).min(CURVE.1).min(body.height.saturating_sub(2));
    let curve = Rect { x: body.x + LIST + 2, width, height, ..body };
    draw_curve(ui, curve, &shape, view, which, distance);
    let used = (curve.bottom() + 2).max(below.y + talked);
    let seconds = Rect { y: used, height: body.bottom().saturating_sub(used), ..body };
    traces::before_and_after(ui, seconds, which);
    let planes = Rect { x: curve.right() + 3, width: body.right().saturating_sub(curve.right() + 3), ..body };
    if planes.width < PLANE.0 {
        return;
    }
    if which.is_stick() {
        draw_plane(ui, planes, "before", [bx, by], shape.dead_zone);
        let after = [ax as f32 / 32767.0, ay as f32 / 32767.0];
        let second = match planes.width >= PLANE.0 * 2 + 2 {
            true => Rect { x: planes.x + PLANE.0 + 2, width: planes.width - PLANE.0 - 2, ..planes },
            false => Rect { y: planes.y + PLANE.1 + 2, ..planes },
        };
        draw_plane(ui, second, "after", after, 0.0);
    } else {
        let full = if which.is_trigger() { 255.0 } else { 32_767.0 };
        for (line, (name, share)) in [("before", bx), ("after", ax as f32 / full)].into_iter().enumerate() {
            let y = planes.y + 2 * line as u16;
            ui.text(planes.x, y, 7, theme.quiet, name);
            let width = 20.min(planes.width.saturating_sub(14));
            if which.is_centred() {
                ui.slide(planes.x + 8, y, width, share.midpoint(1.0), theme.live);
            } else {
                ui.bar(planes.x + 8, y, width, share, theme.live);
            }
            ui.text(planes.x + 29, y, 8, Style::new(), &percent(share));
        }
    }
}

/// Draws the settings. Returns the number of lines used.
fn draw_list(ui: &mut Ui<'_>, at: Rect, which: Shaped, shape: &Shape) -> u16 {
    let theme = ui.theme;
    let knobs = Knob::of(which, shape);
    let chosen = ui.knob.among(&knobs);
    let usual = which.usual();
    for (line, knob) in knobs.iter().enumerate() {
        let y = at.y + line as u16;
        if y >= at.bottom() {
            break;
        }
        let own = *knob == chosen;
        ui.text(at.x, y, 1, theme.key, if own { "▸" } else { " " });
        let indent = if matches!(knob, Knob::Point(_)) { 4 } else { 2 };
        ui.text(at.x + indent, y, 16, if own { theme.chosen } else { Style::new() }, &knob.name());
        let value = knob.value(shape);
        let style = if value == knob.value(&usual) { theme.quiet } else { theme.strong };
        ui.text(at.x + 19, y, at.width.saturating_sub(19), style, &value);
        let click = Click::Knob(*knob);
        ui.clicks.push((Rect { y, height: 1, ..at }, click));
    }
    (knobs.len() as u16).min(at.height)
}

fn draw_talk(ui: &mut Ui<'_>, at: Rect, view: &FeelView, (which, model): (Shaped, &PadModel), apart: bool) -> u16 {
    let theme = ui.theme;
    let mut lines: Vec<(Style, String)> = Vec::new();
    if let Some((walked, share)) = view.walking {
        lines.push((theme.strong, format!("The {} is moving up by itself: {}", walked.name_on(model), percent(share))));
        lines.push((Style::new(), "Press Enter as soon as the game reacts; Esc stops.".into()));
    } else if let Some(measure) = &view.measuring {
        measured(&mut lines, measure, model, [theme.strong, theme.doubt, theme.quiet]);
    } else {
        lines.push((theme.quiet, "+ and - change it at once; u undoes it.".into()));
        // The stick that the axis belongs to.
        let stick = if which.axis() < 2 { Shaped::LeftStick } else { Shaped::RightStick }.name_on(model);
        let own = match (which.is_axis(), view.feel.is_own(which)) {
            (true, false) => format!(
                "It feels like the {stick}; + and - give it its own feel, for a wheel or lever on this axis alone."
            ),
            (true, true) => {
                format!(
                    "It has its own feel, so both axes of the {stick} are separate. d returns it to the stick's feel."
                )
            }
            (false, _) if apart => {
                "One of its axes has its own feel, so its axes are separate and the gate is off.".into()
            }
            (false, _) => String::new(),
        };
        lines.extend((!own.is_empty()).then_some((Style::new(), own)));
        let more = if which.is_centred() {
            "z measures the dead zones; e raises the output."
        } else {
            "z measures the dead zones. To reverse it, invert its binding (B)."
        };
        lines.push((theme.quiet, more.into()));
    }
    let mut y = at.y;
    for (style, text) in lines {
        let height = at.bottom().saturating_sub(y);
        if height == 0 {
            break;
        }
        y += ui.wrapped(Rect { y, height, ..at }, style, &text);
    }
    y - at.y
}

fn measured(
    lines: &mut Vec<(Style, String)>,
    measure: &MeasureView,
    model: &PadModel,
    [strong, doubt, quiet]: [Style; 3],
) {
    let name = measure.which.name_on(model);
    let (rest, reach) = measure.figures;
    match (measure.left, measure.proposal) {
        (Some(left), _) => {
            lines.push((strong, format!("Hands off the {name} for another {}.", seconds(left))));
            if measure.moved {
                lines.push((doubt, "▲ it moved: starting again".into()));
            }
            lines.push((quiet, format!("off at rest by {} at most", percent(rest))));
        }
        (None, None) => {
            let ask = match measure.which.is_stick() {
                true => format!(
                    "Roll the {name} once around its edge: {} of {} directions.",
                    measure.rolled.0, measure.rolled.1
                ),
                false if measure.which.is_centred() => format!("Move the {name} to its end and release it."),
                false => format!("Pull the {name} to its end and release it."),
            };
            lines.push((strong, ask));
            lines.push((quiet, format!("off at rest by {} at most", percent(rest))));
        }
        (None, Some((dead_zone, outer))) => {
            let share = |thousandths: u16| f32::from(thousandths) / 1000.0;
            let words = format!("Proposed: dead zone {}, outer {}.", percent(share(dead_zone)), percent(share(outer)));
            lines.push((strong, words));
            lines.push((
                quiet,
                format!("off at rest by {}, shortest reach {}; with a quarter to spare", percent(rest), percent(reach)),
            ));
            lines.push((Style::new(), "Enter accepts, Esc discards.".into()));
        }
    }
}

fn draw_curve(ui: &mut Ui<'_>, at: Rect, shape: &Shape, view: &FeelView, which: Shaped, distance: f32) {
    let theme = ui.theme;
    let marker = if ui.ascii { Marker::Dot } else { Marker::Braille };
    let colour = |style: Style| style.fg.unwrap_or(ratatui::style::Color::Reset);
    let (line, live, quiet) = (colour(theme.strong), colour(theme.live), colour(theme.line));
    // The other feel, drawn faintly.
    let other = view.old.map(|old| *old.of(which)).filter(|old| old != shape);
    Canvas::default()
        .marker(marker)
        .x_bounds([0.0, 1.0])
        .y_bounds([0.0, 1.02])
        .paint(|context| {
            context.draw(&Line { x1: 0.0, y1: 0.0, x2: 1.0, y2: 0.0, color: quiet });
            context.draw(&Line { x1: 0.0, y1: 0.0, x2: 0.0, y2: 1.0, color: quiet });
            for (shape, color) in other.iter().map(|shape| (shape, quiet)).chain([(shape, line)]) {
                let at = |step: u16| f64::from(shape.at(f32::from(step) / 100.0));
                for step in 0..100 {
                    let (x1, x2) = (f64::from(step) / 100.0, f64::from(step + 1) / 100.0);
                    context.draw(&Line { x1, y1: at(step), x2, y2: at(step + 1), color });
                }
            }
            context.layer();
            let dot = [(f64::from(distance), f64::from(shape.at(distance)))];
            context.draw(&Points { coords: &dot, color: live });
        })
        .render(at, ui.buffer);
    // The marks have to stand out from the dots.
    let cell = |distance: f32| {
        let x = at.x + (distance * f32::from(at.width - 1)).round() as u16;
        (x, at.bottom() - 1 - (shape.at(distance) / 1.02 * f32::from(at.height - 1)).round() as u16)
    };
    let chosen = ui.knob;
    for (index, (point, _)) in shape.curve.points().iter().enumerate() {
        let (x, y) = cell(shape.dead_zone + point * (1.0 - shape.outer - shape.dead_zone));
        let style = if chosen == Knob::Point(index) { theme.key } else { theme.quiet };
        ui.text(x, y, 1, style, "○");
    }
    let (x, y) = cell(distance);
    ui.text(x, y, 1, theme.live, "●");
    let words = format!("across: in {:.0} %   upwards: out {:.0} %", distance * 100.0, shape.at(distance) * 100.0);
    ui.text(at.x, at.bottom(), at.width, theme.quiet, &words);
}

fn draw_plane(ui: &mut Ui<'_>, at: Rect, name: &str, [x, y]: [f32; 2], dead_zone: f32) {
    let plane = Rect { width: PLANE.0, height: PLANE.1, ..at };
    if plane.bottom() > at.bottom() {
        return;
    }
    let along = |value: f32| (value.clamp(-1.0, 1.0) * 32767.0) as i32;
    pad_picture::stick(ui, plane, at, along(x), along(y));
    if dead_zone > 0.0 {
        let (middle_x, middle_y) = (plane.x + plane.width / 2, plane.y + plane.height / 2);
        let wide = (dead_zone * f32::from(plane.width - 3) / 2.0).round() as u16;
        if wide > 0 {
            ui.text(middle_x - wide, middle_y, 1, ui.theme.quiet, "(");
            ui.text(middle_x + wide, middle_y, 1, ui.theme.quiet, ")");
        }
    }
    let words = format!("{name}  {:>4.0} % {:>4.0} %", x * 100.0, y * 100.0);
    ui.text(plane.x + 1, plane.bottom(), plane.width, ui.theme.quiet, &words);
}
