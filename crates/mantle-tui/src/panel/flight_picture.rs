//! A flight stick drawn from its state: its axes as bars, its buttons by their numbers, its hats as words.

use super::Ui;
use mantle_talk::{PadModel, PadState, Target, WAYS};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Columns of a button: its number, its sign, a gap.
const BUTTON: u16 = 5;
const NAME: u16 = 9;

/// Draws it into a place of this size, one of its controls marked.
pub fn draw(ui: &mut Ui<'_>, at: Rect, pad: &PadState, model: &PadModel, chosen: Option<Target>) {
    if !model.is_made() {
        ui.text(at.x, at.y, at.width, Style::new(), "No pad is made: games see keys and the mouse alone.");
        ui.text(at.x, at.y + 1, at.width, ui.theme.quiet, "What is bound to a pad's controls plays nothing here.");
        return;
    }
    let columns = if model.axes.len() > 6 { 2 } else { 1 };
    let lines = model.axes.len().div_ceil(columns) as u16;
    let width = at.width / columns as u16 - 2;
    for (place, axis) in model.axes.iter().enumerate() {
        let (column, line) = ((place as u16) / lines, (place as u16) % lines);
        let own = Rect { x: at.x + column * (width + 2), y: at.y + line, width, height: 1 };
        let targets: Vec<Target> = model.on_lane(axis.lane).collect();
        let name = targets.first().map_or("", |target| model.name_of(*target)).trim_end_matches(" minus").to_owned();
        let marked = chosen.filter(|target| targets.contains(target));
        bar(ui, own, &name, pad.lane(axis.lane), (axis.info.min, axis.info.max), marked);
    }
    let a_row = (at.width / BUTTON).max(1);
    let mut y = at.y + lines + 1;
    for (place, (target, _)) in model.keys.iter().enumerate() {
        let (column, line) = (place as u16 % a_row, place as u16 / a_row);
        if y + line >= at.bottom() {
            break;
        }
        let down = pad.share(*target) > 0.5;
        let (style, sign) = if down { (ui.theme.live, "●") } else { (ui.theme.line, "○") };
        let words = if chosen == Some(*target) { ui.theme.chosen } else { Style::new() };
        let x = at.x + column * BUTTON;
        ui.text(x, y + line, 2, words, &format!("{:>2}", place + 1));
        ui.text(x + 2, y + line, 1, style, sign);
    }
    y += (model.keys.len() as u16).div_ceil(a_row);
    if y >= at.bottom() {
        return;
    }
    let mut x = at.x;
    for hat in 0..model.hats.len() as u8 {
        let down: Vec<&str> = Target::hat(hat)
            .into_iter()
            .zip(WAYS)
            .filter_map(|(target, word)| (pad.share(target) > 0.5).then_some(word))
            .collect();
        let marked = chosen.is_some_and(|target| Target::hat(hat).contains(&target));
        let style = if marked { ui.theme.chosen } else { Style::new() };
        let (live, words) =
            if down.is_empty() { (ui.theme.quiet, "○".to_owned()) } else { (ui.theme.live, down.join(" ")) };
        x = ui.text(x, y, 6, style, &format!("hat {}", hat + 1)) + 1;
        x = ui.text(x, y, 11, live, &words) + 2;
    }
}

/// An axis: its name, where it stands between its ends, its value.
fn bar(ui: &mut Ui<'_>, at: Rect, name: &str, value: i32, (low, high): (i32, i32), marked: Option<Target>) {
    let style = if marked.is_some() { ui.theme.chosen } else { Style::new() };
    ui.text(at.x, at.y, NAME, style, name);
    let room = at.width.saturating_sub(NAME + 8).max(5);
    let share = (value - low) as f32 / (high - low).max(1) as f32;
    let stands = ((share * f32::from(room - 1)).round() as u16).min(room - 1);
    let middle = if low < 0 { room / 2 } else { 0 };
    for cell in 0..room {
        let passed = cell >= stands.min(middle) && cell <= stands.max(middle);
        let (style, sign) = match () {
            () if cell == stands && stands != middle => (ui.theme.live, "█"),
            () if cell == middle => (ui.theme.quiet, "┼"),
            () if passed && stands != middle => (ui.theme.live, "─"),
            () => (ui.theme.line, "─"),
        };
        ui.text(at.x + NAME + cell, at.y, 1, style, sign);
    }
    ui.text(at.x + NAME + room + 1, at.y, 7, ui.theme.quiet, &format!("{value:>6}"));
}
