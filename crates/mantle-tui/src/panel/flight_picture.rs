//! The flight stick: axes as bars, buttons by number, hats in words.

use super::Ui;
use mantle_talk::{PadModel, PadState, PadTarget, WAYS};
use ratatui::layout::Rect;
use ratatui::style::Style;

const NAME: u16 = 9;
/// Columns of a hat.
const HAT: u16 = 14;

/// How roomy the drawing is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
struct Room {
    /// Lines between axes, and columns of axes.
    step: u16,
    columns: u16,
    /// Columns of a button: number, sign, gap.
    button: u16,
    /// Lines of a hat: with 3 its directions stand in place, with 1 they are named.
    hat: u16,
}

impl Room {
    /// From the roomiest to the tightest.
    const ALL: [Self; 7] = [
        Self { step: 2, columns: 1, button: 10, hat: 3 },
        Self { step: 1, columns: 1, button: 10, hat: 3 },
        Self { step: 1, columns: 1, button: 7, hat: 3 },
        Self { step: 1, columns: 1, button: 7, hat: 1 },
        Self { step: 1, columns: 2, button: 7, hat: 3 },
        Self { step: 1, columns: 2, button: 7, hat: 1 },
        Self { step: 1, columns: 2, button: 5, hat: 1 },
    ];

    /// The roomiest layout that fits; the tightest if none does.
    fn of(model: &PadModel, size: Rect) -> Self {
        let fits = |room: &Self| room.lines(model, size.width) <= size.height;
        // Width needed for names instead of numbers.
        let longest = model.keys.iter().map(|(target, _)| called(model, *target).len() as u16).max().unwrap_or(0);
        let named = |room: Self| if longest > 2 { Self { button: longest + 4, ..room } } else { room };
        let all = Self::ALL.map(named);
        all.into_iter().find(fits).unwrap_or(all[all.len() - 1])
    }

    fn axis_lines(self, model: &PadModel) -> u16 {
        (model.axes.len() as u16).div_ceil(self.columns) * self.step
    }

    fn button_lines(self, model: &PadModel, width: u16) -> u16 {
        (model.keys.len() as u16).div_ceil((width / self.button).max(1))
    }

    fn lines(self, model: &PadModel, width: u16) -> u16 {
        let hats = if model.hats.is_empty() { 0 } else { self.hat + u16::from(self.hat > 1) };
        self.axis_lines(model) + 1 + self.button_lines(model, width) + hats
    }
}

/// A button's label: its number, or its name if it has none.
fn called(model: &PadModel, target: PadTarget) -> String {
    match target {
        PadTarget::Button(number) => format!("{:>2}", u16::from(number) + 1),
        _ => model.name_of(target).to_owned(),
    }
}

/// Draws it at this size, with one control marked.
pub fn draw(ui: &mut Ui<'_>, at: Rect, pad: &PadState, model: &PadModel, chosen: Option<PadTarget>) {
    if !model.is_made() {
        ui.text(at.x, at.y, at.width, Style::new(), "There is no pad: games see only keyboard and mouse.");
        ui.text(at.x, at.y + 1, at.width, ui.theme.quiet, "Bindings for a pad's controls do nothing here.");
        return;
    }
    let room = Room::of(model, at);
    let lines = (model.axes.len() as u16).div_ceil(room.columns).max(1);
    let width = at.width / room.columns - if room.columns > 1 { 2 } else { 0 };
    for (place, axis) in model.axes.iter().enumerate() {
        let (column, line) = ((place as u16) / lines, (place as u16) % lines * room.step);
        if line >= at.height {
            continue;
        }
        let own = Rect { x: at.x + column * (width + 2), y: at.y + line, width, height: 1 };
        let targets: Vec<PadTarget> = model.on_lane(axis.lane).collect();
        let name = model.lane_name(axis.lane).unwrap_or_default();
        let marked = chosen.filter(|target| targets.contains(target));
        bar(ui, own, name, pad.lane(axis.lane), (axis.info.min, axis.info.max), marked);
    }
    let a_row = (at.width / room.button).max(1);
    let mut y = at.y + room.axis_lines(model) + 1;
    for (place, (target, _)) in model.keys.iter().enumerate() {
        let (column, line) = (place as u16 % a_row, place as u16 / a_row);
        if y + line >= at.bottom() {
            break;
        }
        let down = pad.share(*target) > 0.5;
        let (style, sign) = if down { (ui.theme.live, "●") } else { (ui.theme.line, "○") };
        let words = if chosen == Some(*target) { ui.theme.chosen } else { Style::new() };
        let x = at.x + column * room.button;
        let name = called(model, *target);
        let width = if room.button > 10 { room.button - 4 } else { 2 };
        ui.text(x, y + line, width, words, &name);
        ui.text(x + width + u16::from(room.button > 5), y + line, 1, style, sign);
    }
    y += room.button_lines(model, at.width) + u16::from(room.hat > 1);
    for hat in 0..model.hats.len() as u8 {
        let own = Rect { x: at.x + u16::from(hat) * if room.hat > 1 { HAT } else { HAT + 6 }, y, ..at };
        draw_hat(ui, own, at.bottom(), hat, room, pad, chosen);
    }
}

/// A hat: its directions in place, or the pressed ones in words.
fn draw_hat(ui: &mut Ui<'_>, at: Rect, end: u16, hat: u8, room: Room, pad: &PadState, chosen: Option<PadTarget>) {
    let all = PadTarget::hat(hat);
    let name = if chosen.is_some_and(|target| all.contains(&target)) { ui.theme.chosen } else { Style::new() };
    let title = format!("hat {}", hat + 1);
    let down = |target: PadTarget| pad.share(target) > 0.5;
    if room.hat == 1 {
        if at.y < end {
            let ways: Vec<&str> =
                all.into_iter().zip(WAYS).filter_map(|(target, word)| down(target).then_some(word)).collect();
            let (live, words) =
                if ways.is_empty() { (ui.theme.quiet, "○".to_owned()) } else { (ui.theme.live, ways.join(" ")) };
            ui.text(at.x, at.y, 6, name, &title);
            ui.text(at.x + 6, at.y, 11, live, &words);
        }
        return;
    }
    // In the order up, down, left, right.
    for (target, (x, y)) in all.into_iter().zip([(8, 0), (8, 2), (6, 1), (10, 1)]) {
        if at.y + y < end {
            let (style, sign) = if down(target) { (ui.theme.live, "●") } else { (ui.theme.line, "○") };
            let style = if chosen == Some(target) { ui.theme.chosen } else { style };
            ui.text(at.x + x, at.y + y, 1, style, sign);
        }
    }
    if at.y + 1 < end {
        ui.text(at.x, at.y + 1, 6, name, &title);
    }
}

/// An axis: name, position between its ends, value.
fn bar(ui: &mut Ui<'_>, at: Rect, name: &str, value: i32, (low, high): (i32, i32), marked: Option<PadTarget>) {
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_button_keeps_its_number_in_any_position() {
        let mut model = PadModel::flight(Default::default());
        model.keys.reverse();
        let names: Vec<String> = model.keys.iter().take(2).map(|(target, _)| called(&model, *target)).collect();
        assert_eq!(names, ["12", "11"]);
        assert_eq!(called(&PadModel::common(), PadTarget::South), "South");
        let size = Rect { x: 0, y: 0, width: 80, height: 20 };
        let model = PadModel { axes: Vec::new(), ..PadModel::common() };
        assert_eq!(Room::of(&model, size).button, "right stick press".len() as u16 + 4);
    }
}
