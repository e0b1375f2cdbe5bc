//! Controls: each with its number, its live value, and what it plays.

use super::{Ui, ranges, traces};
use crate::hand_keys::{label, reach};
use crate::rows::{Click, Row};
use mantle_talk::{ControlRow, DeviceDetail, NodeId};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// The scroll position of the list.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(crate) struct Seen {
    /// Whose controls they are.
    row: Option<Row>,
    /// Index of the first one shown.
    from: usize,
    /// The furthest scroll position; 0 if all fit.
    last: usize,
    /// Number of controls per column.
    tall: usize,
}

impl Seen {
    /// The same for this row; another row begins at its top.
    pub(crate) fn of(self, row: Option<Row>) -> Self {
        if self.row == row { self } else { Self { row, ..Self::default() } }
    }

    /// Scrolls by a line, or by a column if there are several. Returns false if everything is visible.
    pub(crate) fn step(&mut self, down: bool) -> bool {
        let by = self.tall.max(1);
        self.from = if down { (self.from + by).min(self.last) } else { self.from.saturating_sub(by) };
        self.last > 0
    }
}

/// The least width of a column of controls, and the most that is useful.
const COLUMN: (u16, u16) = (50, 76);
/// Width of a column besides the live value.
const BESIDE: u16 = 41;

/// A line of the list.
enum Item {
    /// The name of a device, if several are one player.
    Device(String),
    /// A control.
    Control(Listed),
}

/// A control with everything its line needs.
struct Listed {
    control: ControlRow,
    /// Nothing is known before the first report.
    known: bool,
    of: (NodeId, u8),
    /// The key that moves it, if it is in hand and has one.
    key: Option<String>,
    /// Whether it is the chosen control in hand.
    chosen: bool,
}

fn items(ui: &Ui<'_>, in_hand: bool) -> Vec<Item> {
    let devices: Vec<&DeviceDetail> = ui.device_details().iter().collect();
    let keys = if in_hand { reach(&devices) } else { Vec::new() };
    let mut all = Vec::new();
    let mut place = 0;
    for (at, device) in devices.iter().enumerate() {
        if devices.len() > 1 && !device.controls.is_empty() {
            all.push(Item::Device(device.name.clone()));
        }
        for control in &device.controls {
            let chosen = in_hand && ui.hand == Some(place);
            // States of the device itself cannot be moved.
            place += usize::from(control.kind != "state");
            all.push(Item::Control(Listed {
                known: device.reports.1 > 0,
                of: (device.node, device.part % 8),
                key: in_hand.then(|| label(&keys, (at, control.number))),
                chosen,
                control: control.clone(),
            }));
        }
    }
    all
}

/// A control's number; in hand, its key instead.
fn number(ui: &mut Ui<'_>, x: u16, y: u16, listed: &Listed) {
    let (sign, style) = match (listed.chosen, listed.control.active) {
        (true, _) => ("▸", ui.theme.key),
        (_, true) => ("●", ui.theme.live),
        _ => ("·", ui.theme.line),
    };
    ui.text(x, y, 1, style, sign);
    match &listed.key {
        Some(key) => ui.text(x + 1, y, 3, ui.theme.key, &format!("{key:>3}")),
        None => ui.text(x + 1, y, 3, ui.theme.quiet, &format!("{:>3}", listed.control.number)),
    };
}

/// The list in the Controls view, which scrolls.
pub fn draw_scrolled(ui: &mut Ui<'_>, area: Rect, in_hand: bool) {
    let mut seen = ui.seen;
    (seen.last, seen.tall) = (0, 0);
    let used = list(ui, area, in_hand, Some(&mut seen)) + 1;
    ui.seen = seen;
    let below = Rect { y: area.y + used, height: area.height.saturating_sub(used), ..area };
    let ranged = ranges::draw(ui, below);
    let below = Rect { y: below.y + ranged, height: below.height.saturating_sub(ranged), ..below };
    traces::controls(ui, below);
}

/// The list beside something else: as much as fits. Returns the number of lines used.
pub fn draw(ui: &mut Ui<'_>, area: Rect, in_hand: bool) -> u16 {
    list(ui, area, in_hand, None)
}

fn list(ui: &mut Ui<'_>, area: Rect, in_hand: bool, seen: Option<&mut Seen>) -> u16 {
    let controls = items(ui, in_hand);
    ui.hand_keys |= in_hand;
    if controls.is_empty() {
        ui.text(area.x, area.y, area.width, ui.theme.quiet, "It has no known controls.");
        return 1;
    }
    if area.width >= CLOSE && controls.len() <= usize::from(area.height.saturating_sub(2)) {
        closely(ui, area, &controls);
        return controls.len() as u16 + 3;
    }
    let mut rows = area.height.saturating_sub(1).max(1);
    let most = (area.width / COLUMN.0).max(1);
    if controls.len() > usize::from(most * rows) {
        // The last line says that there are more.
        rows = rows.saturating_sub(1).max(1);
    }
    // As few columns as possible, so that each is wide.
    let columns = (controls.len() as u16).div_ceil(rows).clamp(1, most);
    let tall = (controls.len() as u16).div_ceil(columns).min(rows);
    let width = (area.width / columns).min(COLUMN.1);
    let shown = usize::from(columns * tall);
    for column in 0..columns {
        heading(ui, area.x + column * width, area.y, width);
    }
    let last = controls.len().saturating_sub(shown);
    let from = seen.as_ref().map_or(0, |seen| seen.from.min(last));
    for (index, item) in controls.iter().skip(from).take(shown).enumerate() {
        let (column, row) = (index as u16 / tall, index as u16 % tall);
        let at = Rect { x: area.x + column * width, y: area.y + 1 + row, width, height: 1 };
        match item {
            Item::Device(name) => {
                ui.text(at.x, at.y, at.width, ui.theme.strong, name);
            }
            Item::Control(listed) => line(ui, at, listed),
        }
    }
    if last > 0 {
        let words = match seen {
            Some(seen) => {
                (seen.from, seen.last) = (from, last);
                seen.tall = if columns == 1 { 1 } else { usize::from(tall) };
                format!("{} to {} of {}: ↑ ↓ scroll", from + 1, from + shown, controls.len())
            }
            None => format!("and {last} more: C shows all"),
        };
        ui.text(area.x, area.bottom() - 1, area.width, ui.theme.quiet, &format!("{words:<48}"));
        return area.height;
    }
    tall + 1
}

/// From this width on, everything known of a control fits into its line.
const CLOSE: u16 = 124;
/// Right ends of the number columns (raw, range, seen, rest, noise), and where words begin.
const ENDS: [u16; 5] = [50, 58, 74, 83, 91];
const WORDS: u16 = 94;

/// One control per line, with everything known of it.
fn closely(ui: &mut Ui<'_>, area: Rect, controls: &[Item]) {
    let quiet = ui.theme.quiet;
    let first = if ui.hand.is_some() { " key control" } else { "  no control" };
    ui.text(area.x, area.y, 18, quiet, first);
    ui.text(area.x + 18, area.y, 10, quiet, "value");
    for (end, words) in ENDS.into_iter().zip(["raw", "share", "seen", "rest", "noise"]) {
        let width = words.len() as u16;
        ui.text(area.x + end - width, area.y, width, quiet, words);
    }
    ui.text(area.x + WORDS, area.y, 12, quiet, "calibrated");
    ui.text(area.x + WORDS + 20, area.y, 12, quiet, "plays");
    for (index, item) in controls.iter().enumerate() {
        let at = Rect { y: area.y + 1 + index as u16, height: 1, ..area };
        match item {
            Item::Device(name) => {
                ui.text(at.x, at.y, at.width, ui.theme.strong, name);
            }
            Item::Control(listed) => line_closely(ui, at, listed),
        }
    }
    let calibrated = |item: &Item| matches!(item, Item::Control(listed) if listed.control.calibrated.is_some());
    let measured = controls.iter().any(calibrated);
    let words = if measured {
        "share: of the calibrated travel; seen, rest and noise: raw, since this view was opened. Z: undo the calibration"
    } else {
        "share: of the promised range; seen, rest and noise: raw, since this view was opened. z calibrates"
    };
    if area.height > controls.len() as u16 + 2 {
        ui.text(area.x, area.y + controls.len() as u16 + 2, area.width, quiet, words);
    }
}

fn line_closely(ui: &mut Ui<'_>, at: Rect, listed: &Listed) {
    let theme = ui.theme;
    let (control, known) = (&listed.control, listed.known);
    let (x, y) = (at.x, at.y);
    let style = if control.active { theme.live } else { Style::new() };
    number(ui, x, y, listed);
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
        cells[1] = format!("{:.0} %", control.share * 100.0);
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
    if listed.key.is_some() {
        ui.clicks.push((place, Click::Control { of: listed.of, number: control.number, travels: is_axis }));
    }
}

/// The parts of a line: width of the live value, columns of its number and of what it plays.
fn places(width: u16) -> (u16, u16, u16) {
    let value = width.saturating_sub(BESIDE).clamp(9, 25);
    (value, 19 + value, 27 + value)
}

fn heading(ui: &mut Ui<'_>, x: u16, y: u16, width: u16) {
    let (_, _, plays) = places(width);
    let words = if ui.hand.is_some() { " key control      value" } else { "  no control      value" };
    ui.text(x, y, width, ui.theme.quiet, words);
    ui.text(x + plays - 1, y, width.saturating_sub(plays), ui.theme.quiet, "plays");
}

fn line(ui: &mut Ui<'_>, at: Rect, listed: &Listed) {
    let (control, known) = (&listed.control, listed.known);
    let (value, raw_at, plays_at) = places(at.width);
    let (x, y) = (at.x, at.y);
    let style = if control.active { ui.theme.live } else { Style::new() };
    number(ui, x, y, listed);
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
            ui.text(x + raw_at, y, 6, style, &format!("{:>6}", control.raw));
        }
        _ => {
            ui.text(place.x, y, value, style, &control.raw.to_string());
        }
    }
    let plays = if control.plays.is_empty() { "·" } else { &control.plays };
    ui.text(x + plays_at - 1, y, at.width.saturating_sub(plays_at), ui.theme.quiet, plays);
    if listed.key.is_some() {
        let travels = !matches!(control.kind.as_str(), "button" | "key");
        ui.clicks.push((place, Click::Control { of: listed.of, number: control.number, travels }));
    }
}
