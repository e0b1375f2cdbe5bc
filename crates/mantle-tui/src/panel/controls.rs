//! Controls: each with its number, its live value, and what it plays.

use super::Ui;
use crate::rows::{Click, Row};
use mantle_talk::{ControlRow, DeviceDetail};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Which controls are seen, where they do not all fit.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(crate) struct Seen {
    /// Whose they are.
    row: Option<Row>,
    /// The first that is seen.
    from: usize,
    /// The last one that can be the first; 0 where all fit.
    last: usize,
    /// How many are one below the other.
    tall: usize,
}

impl Seen {
    /// The same, or of another row from its first one on.
    pub(crate) fn of(self, row: Option<Row>) -> Self {
        if self.row == row { self } else { Self { row, ..Self::default() } }
    }

    /// Those before or behind: one where they stand in one column, else a column of them. False where all are seen.
    pub(crate) fn step(&mut self, down: bool) -> bool {
        let by = self.tall.max(1);
        self.from = if down { (self.from + by).min(self.last) } else { self.from.saturating_sub(by) };
        self.last > 0
    }
}

/// The least that a column of controls needs, and the most that does it good.
const COLUMN: (u16, u16) = (50, 76);
/// What a column needs beside the live value.
const BESIDE: u16 = 41;

/// The controls in the Controls view, where those that do not fit are scrolled to.
pub fn draw_scrolled(ui: &mut Ui<'_>, area: Rect, in_hand: bool) {
    let mut seen = ui.seen;
    (seen.last, seen.tall) = (0, 0);
    list(ui, area, in_hand, Some(&mut seen));
    ui.seen = seen;
}

/// The controls beside something else: those that fit.
pub fn draw(ui: &mut Ui<'_>, area: Rect, in_hand: bool) {
    list(ui, area, in_hand, None);
}

fn list(ui: &mut Ui<'_>, area: Rect, in_hand: bool, seen: Option<&mut Seen>) {
    // Before its first report nothing is known of a device's controls.
    let of = |device: &DeviceDetail| {
        let known = device.reports.1 > 0;
        device.controls.iter().map(|control| (control.clone(), known)).collect::<Vec<_>>()
    };
    let controls: Vec<_> = ui.device_details().iter().flat_map(of).collect();
    if controls.is_empty() {
        ui.text(area.x, area.y, area.width, ui.theme.quiet, "No control is known of it.");
        return;
    }
    if area.width >= CLOSE && controls.len() <= usize::from(area.height.saturating_sub(2)) {
        return closely(ui, area, &controls, in_hand);
    }
    let mut rows = area.height.saturating_sub(1).max(1);
    let most = (area.width / COLUMN.0).max(1);
    if controls.len() > usize::from(most * rows) {
        // The last line says that there are more.
        rows = rows.saturating_sub(1).max(1);
    }
    // As few columns as will do: then each has more room.
    let columns = (controls.len() as u16).div_ceil(rows).clamp(1, most);
    let tall = (controls.len() as u16).div_ceil(columns).min(rows);
    let width = (area.width / columns).min(COLUMN.1);
    let shown = usize::from(columns * tall);
    for column in 0..columns {
        heading(ui, area.x + column * width, area.y, width);
    }
    let last = controls.len().saturating_sub(shown);
    let from = seen.as_ref().map_or(0, |seen| seen.from.min(last));
    for (index, (control, known)) in controls.iter().skip(from).take(shown).enumerate() {
        let (column, row) = (index as u16 / tall, index as u16 % tall);
        let at = Rect { x: area.x + column * width, y: area.y + 1 + row, width, height: 1 };
        line(ui, at, control, *known, in_hand);
    }
    if last > 0 {
        let words = match seen {
            Some(seen) => {
                (seen.from, seen.last) = (from, last);
                seen.tall = if columns == 1 { 1 } else { usize::from(tall) };
                format!("{} to {} of {}: ↑ ↓ go through them", from + 1, from + shown, controls.len())
            }
            None => format!("and {last} more: C shows all"),
        };
        ui.text(area.x, area.bottom() - 1, area.width, ui.theme.quiet, &format!("{words:<48}"));
    }
}

/// From this width on there is room for everything that is known of a control.
const CLOSE: u16 = 124;
/// Where the columns of numbers end: raw, of its range, seen, rest, noise; and where words begin.
const ENDS: [u16; 5] = [50, 58, 74, 83, 91];
const WORDS: u16 = 94;

/// One control a line, with all that is known of it.
fn closely(ui: &mut Ui<'_>, area: Rect, controls: &[(ControlRow, bool)], in_hand: bool) {
    let quiet = ui.theme.quiet;
    ui.text(area.x, area.y, 18, quiet, "  no control");
    ui.text(area.x + 18, area.y, 10, quiet, "value");
    for (end, words) in ENDS.into_iter().zip(["raw", "share", "seen", "rest", "noise"]) {
        let width = words.len() as u16;
        ui.text(area.x + end - width, area.y, width, quiet, words);
    }
    ui.text(area.x + WORDS, area.y, 12, quiet, "calibrated");
    ui.text(area.x + WORDS + 20, area.y, 12, quiet, "plays");
    for (index, (control, known)) in controls.iter().enumerate() {
        let at = Rect { y: area.y + 1 + index as u16, height: 1, ..area };
        line_closely(ui, at, control, *known, in_hand);
    }
    let measured = controls.iter().any(|(control, _)| control.calibrated.is_some());
    let words = if measured {
        "share: of the calibrated travel; seen, rest and noise: raw, since this view was opened. Z: as the device says again"
    } else {
        "share: of the range that the device promises; seen, rest and noise: raw, since this view was opened. z measures it"
    };
    if area.height > controls.len() as u16 + 2 {
        ui.text(area.x, area.y + controls.len() as u16 + 2, area.width, quiet, words);
    }
}

fn line_closely(ui: &mut Ui<'_>, at: Rect, control: &ControlRow, known: bool, in_hand: bool) {
    let theme = ui.theme;
    let (x, y) = (at.x, at.y);
    let style = if control.active { theme.live } else { Style::new() };
    let sign = if control.active { "●" } else { "·" };
    ui.text(x, y, 1, if control.active { theme.live } else { theme.line }, sign);
    ui.text(x + 1, y, 3, theme.quiet, &format!("{:>3}", control.number));
    ui.text(x + 5, y, 12, style, &control.name);
    let place = Rect { x: x + 18, y, width: 24, height: 1 };
    let is_axis = matches!(control.kind.as_str(), "axis" | "pointer");
    match control.kind.as_str() {
        _ if !known => {
            ui.text(place.x, y, 1, theme.quiet, "–");
        }
        "button" | "key" => {
            ui.text(place.x, y, 5, style, if control.active { "down" } else { "·" });
        }
        "axis" | "pointer" => ui.slide(place.x, y, place.width, control.share, style),
        _ => {
            ui.text(place.x, y, place.width, style, &control.raw.to_string());
        }
    }
    let mut cells = [const { String::new() }; 5];
    if known {
        cells[0] = control.raw.to_string();
    }
    if let Some((low, high)) = control.seen.filter(|_| known) {
        cells[2] = if low == high { low.to_string() } else { format!("{low} to {high}") };
    }
    if is_axis && known {
        cells[1] = format!("{:.2}", control.share);
        if let Some((rest, noise)) = control.rest {
            (cells[3], cells[4]) = (rest.to_string(), format!("±{noise}"));
        }
    }
    for (end, text) in ENDS.into_iter().zip(&cells) {
        let width = crate::widths::cells(text) as u16;
        ui.text(x + end - width, y, width, style, text);
    }
    let calibrated = control.calibrated.map(|(low, rest, high)| format!("{low} / {rest} / {high}"));
    ui.text(x + WORDS, y, 19, theme.quiet, calibrated.as_deref().unwrap_or("·"));
    let plays = if control.plays.is_empty() { "nothing" } else { &control.plays };
    ui.text(x + WORDS + 20, y, at.width.saturating_sub(WORDS + 20), theme.quiet, plays);
    if in_hand {
        ui.clicks.push((place, Click::Control { number: control.number, travels: is_axis }));
    }
}

/// Where the parts of a line begin: the live value's width, its number, and what it plays.
fn places(width: u16) -> (u16, u16, u16) {
    let value = width.saturating_sub(BESIDE).clamp(9, 25);
    (value, 19 + value, 27 + value)
}

fn heading(ui: &mut Ui<'_>, x: u16, y: u16, width: u16) {
    let (_, _, plays) = places(width);
    ui.text(x, y, width, ui.theme.quiet, "  no control      value");
    ui.text(x + plays - 1, y, width.saturating_sub(plays), ui.theme.quiet, "plays");
}

fn line(ui: &mut Ui<'_>, at: Rect, control: &ControlRow, known: bool, in_hand: bool) {
    let (value, number, plays_at) = places(at.width);
    let (x, y) = (at.x, at.y);
    let style = if control.active { ui.theme.live } else { Style::new() };
    let sign = if control.active { "●" } else { "·" };
    ui.text(x, y, 1, if control.active { ui.theme.live } else { ui.theme.line }, sign);
    ui.text(x + 1, y, 3, ui.theme.quiet, &format!("{:>3}", control.number));
    ui.text(x + 5, y, 12, style, &control.name);
    let place = Rect { x: x + 18, y, width: value, height: 1 };
    match control.kind.as_str() {
        _ if !known => {
            ui.text(place.x, y, value, ui.theme.quiet, "–");
        }
        "button" | "key" => {
            ui.text(place.x, y, value, style, if control.active { "down" } else { "·" });
        }
        "axis" => {
            ui.slide(place.x, y, value, control.share, style);
            ui.text(x + number, y, 6, style, &format!("{:>6}", control.raw));
        }
        _ => {
            ui.text(place.x, y, value, style, &control.raw.to_string());
        }
    }
    let plays = if control.plays.is_empty() { "·" } else { &control.plays };
    ui.text(x + plays_at - 1, y, at.width.saturating_sub(plays_at), ui.theme.quiet, plays);
    if in_hand {
        let travels = control.kind == "axis";
        ui.clicks.push((place, Click::Control { number: control.number, travels }));
    }
}
