//! Reports: the bytes of the latest one as a grid whose changed bits glow and fade, and what they mean beside it.
//!
//! ```text
//! id 1   250 /s   every 4.0 ms, jitter 0.1 ms, longest 8.1 ms
//!   0  0  01  ........                        bit   what          raw   of its range
//!   1  1  3f  ..######   counts up by 1         8   X             128   ····●····
//! ```

use super::Ui;
use mantle_talk::{ByteRole, DeviceDetail, FieldRow, Gaps, HistoryRow, ReportRow};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

/// Width of the grid.
const GRID: u16 = 62;

/// Draws the reports of the chosen devices.
pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let devices = ui.device_details().to_vec();
    let mut y = area.y;
    for device in &devices {
        if y >= area.bottom() {
            return;
        }
        let at = Rect { y, height: area.bottom() - y, ..area };
        y += one(ui, at, device, devices.len() > 1) + 1;
    }
}

/// One device; returns the lines that it took.
fn one(ui: &mut Ui<'_>, area: Rect, device: &DeviceDetail, several: bool) -> u16 {
    let (all, good, bad) = device.reports;
    let mut y = 0;
    let mut head = format!("{all} came, as hidraw hands them over: {good} read, {bad} unreadable");
    if several {
        head = format!("{}: {head}", device.name);
    }
    ui.text(area.x, area.y, area.width, ui.theme.quiet, &head);
    if !device.last_bad.is_empty() {
        y += 1;
        ui.text(area.x, area.y + y, area.width, ui.theme.wrong, &device.last_bad);
    }
    let Some(arriving) = &device.arriving else {
        let words = match all {
            0 => "Nothing has come yet: press something on it.",
            _ if device.present => "What a keyboard sends is not shown and not kept.",
            _ => "It is away.",
        };
        ui.text(area.x, area.y + y + 1, area.width, ui.theme.quiet, words);
        return y + 2;
    };
    if arriving.ids.is_empty() {
        ui.text(area.x, area.y + y + 1, area.width, ui.theme.quiet, "Nothing has come yet: press something on it.");
        return y + 2;
    }
    let stopped = ui.frozen.filter(|frozen| frozen.node == device.node);
    if let Some(frozen) = stopped {
        let words = match (frozen.row(), frozen.at) {
            (Some(row), Some(at)) => {
                let ago = ui.snapshot.now.since(row.at).as_seconds();
                let more = if frozen.more { " and more" } else { "" };
                let behind = frozen.rows.len() - 1 - at;
                format!("stopped {ago:.3} s ago · {behind} behind it, {at}{more} before it, of the last 30 s")
            }
            _ => "stopped".to_owned(),
        };
        y += 1;
        ui.text(area.x, area.y + y, area.width, ui.theme.doubt, &words);
        if let Some(row) = frozen.row().cloned() {
            let before = frozen.before(arriving.numbered).cloned();
            y += 1;
            let at = Rect { y: area.y + y, height: area.height.saturating_sub(y), ..area };
            return y + still(ui, at, device, arriving.numbered, &row, before);
        }
    }
    y += 1;
    for row in &arriving.ids {
        let left = area.height.saturating_sub(y);
        if left < 3 {
            break;
        }
        let at = Rect { y: area.y + y, height: left, ..area };
        y += live(ui, at, device, row, arriving.numbered) + 1;
    }
    y
}

fn milliseconds(micros: u32) -> String {
    format!("{:.1}", f64::from(micros) / 1000.0)
}

fn regularity(gaps: &Gaps) -> String {
    match gaps.count {
        0 => String::new(),
        _ => format!(
            "every {}, jitter {}, longest {} ms",
            milliseconds(gaps.median),
            milliseconds(gaps.jitter),
            milliseconds(gaps.most)
        ),
    }
}

/// The latest report of one id, and its fields.
fn live(ui: &mut Ui<'_>, area: Rect, device: &DeviceDetail, row: &ReportRow, numbered: bool) -> u16 {
    let id = if numbered { format!("id {}  ", row.id) } else { String::new() };
    let head = format!("{id}{} bytes  {} /s  {}", row.len, row.rate, regularity(&row.gaps));
    ui.text(area.x, area.y, area.width, Style::new(), &head);
    let bytes = bytes_of(&row.bytes);
    let rows = area.height.saturating_sub(1);
    let heat: Vec<u8> = row.heat.bytes().map(|digit| digit.saturating_sub(b'0')).collect();
    let shown = (bytes.len() as u16).min(rows);
    for (index, byte) in bytes.iter().enumerate().take(usize::from(shown)) {
        let glow: Vec<u8> = (0..8).map(|bit| heat.get(index * 8 + bit).copied().unwrap_or(0)).collect();
        let role = row.roles.get(index).map(role_words).unwrap_or_default();
        byte_line(ui, area.x, area.y + 1 + index as u16, index, *byte, &glow, &role);
    }
    let mut lines = shown;
    if area.width > GRID + 40 {
        let fields: Vec<&FieldRow> = device.fields.iter().filter(|field| !numbered || field.report == row.id).collect();
        let right = Rect { x: area.x + GRID, width: area.width - GRID, y: area.y + 1, height: rows };
        lines = lines.max(field_list(ui, right, &fields));
        let end = area.x + head.chars().count() as u16;
        if end < right.x {
            ui.text(right.x, area.y, right.width, ui.theme.quiet, FIELD_HEAD);
        }
    }
    if usize::from(shown) < bytes.len() {
        let words = format!("and {} more bytes", bytes.len() - usize::from(shown));
        ui.text(area.x, area.y + shown, area.width.min(GRID), ui.theme.quiet, &format!("{words:<40}"));
    }
    lines + 1
}

/// The fields beside the grid, in as many columns as there is room for.
fn field_list(ui: &mut Ui<'_>, area: Rect, fields: &[&FieldRow]) -> u16 {
    const COLUMN: u16 = 46;
    let columns = (area.width / COLUMN).max(1);
    let rows = (fields.len() as u16).div_ceil(columns).min(area.height);
    for (index, field) in fields.iter().enumerate() {
        let (column, row) = (index as u16 / rows.max(1), index as u16 % rows.max(1));
        if column >= columns {
            break;
        }
        let (x, y) = (area.x + column * COLUMN, area.y + row);
        let live = field.width > 1 || field.raw != 0;
        let style = if field.raw != 0 && field.width == 1 { ui.theme.live } else { Style::new() };
        ui.text(x, y, 5, ui.theme.quiet, &format!("{:>4}", field.offset));
        let number = field.control.map(|number| format!("{number:>3}")).unwrap_or_default();
        ui.text(x + 5, y, 3, ui.theme.quiet, &number);
        ui.text(x + 9, y, 14, style, &field.name);
        if live {
            ui.text(x + 23, y, 7, style, &format!("{:>7}", field.raw));
        }
        if field.width > 1 {
            ui.slide(x + 31, y, 13, field.share, style);
        }
    }
    rows
}

/// What stands above the fields.
const FIELD_HEAD: &str = " bit  no field             raw";

/// A stopped report beside the one before it: what differs is marked; and what it means.
fn still(
    ui: &mut Ui<'_>,
    area: Rect,
    device: &DeviceDetail,
    numbered: bool,
    row: &HistoryRow,
    before: Option<HistoryRow>,
) -> u16 {
    let bytes = bytes_of(&row.bytes);
    if area.width > GRID + 40 {
        let (id, body) = if numbered { (bytes.first().copied().unwrap_or(0), 1) } else { (0, 0) };
        let body = bytes.get(body..).unwrap_or_default();
        let mine = device.fields.iter().filter(|field| field.report == id);
        let fields: Vec<FieldRow> = mine.filter_map(|field| field.of(body)).collect();
        let right = Rect { x: area.x + GRID, width: area.width - GRID, ..area };
        field_list(ui, right, &fields.iter().collect::<Vec<_>>());
    }
    let old = before.map(|before| bytes_of(&before.bytes)).unwrap_or_else(|| bytes.clone());
    let shown = (bytes.len() as u16).min(area.height);
    for (index, byte) in bytes.iter().enumerate().take(usize::from(shown)) {
        let was = old.get(index).copied().unwrap_or(*byte);
        let glow: Vec<u8> = (0..8).map(|bit| if (was ^ byte) >> bit & 1 == 1 { 9 } else { 0 }).collect();
        let words = if was == *byte { String::new() } else { format!("was {was:02x}") };
        byte_line(ui, area.x, area.y + index as u16, index, *byte, &glow, &words);
    }
    shown
}

/// A byte: its place, its value in hex and decimal, its bits with the highest first, and a word about it.
fn byte_line(ui: &mut Ui<'_>, x: u16, y: u16, index: usize, byte: u8, glow: &[u8], words: &str) {
    let hottest = glow.iter().copied().max().unwrap_or(0);
    ui.text(x, y, 4, ui.theme.quiet, &format!("{index:>3}"));
    ui.text(x + 5, y, 2, style_of(ui, hottest), &format!("{byte:02x}"));
    ui.text(x + 8, y, 3, ui.theme.quiet, &format!("{byte:>3}"));
    for bit in 0..8u16 {
        let heat = glow.get(usize::from(bit)).copied().unwrap_or(0);
        let set = byte >> bit & 1 == 1;
        // A changed bit is marked by its sign, too, not by its style alone.
        let sign = match (set, heat >= 5) {
            (true, true) => "◉",
            (true, false) => "●",
            (false, true) => "○",
            (false, false) => "·",
        };
        let gap = u16::from(bit < 4);
        let style = if heat == 0 && !set { ui.theme.line } else { style_of(ui, heat) };
        ui.text(x + 13 + (7 - bit) * 2 + gap, y, 1, style, sign);
    }
    ui.text(x + 32, y, GRID - 34, ui.theme.quiet, words);
}

/// How a change of some age looks: strong, live, then as everything.
fn style_of(ui: &Ui<'_>, heat: u8) -> Style {
    match heat {
        0 => Style::new(),
        1..=4 => ui.theme.live,
        _ => ui.theme.live.add_modifier(Modifier::BOLD),
    }
}

fn role_words(role: &ByteRole) -> String {
    match role {
        ByteRole::Unknown | ByteRole::Changes => String::new(),
        ByteRole::Constant => "never changed".into(),
        ByteRole::Counter { step: 0 } => "a clock".into(),
        ByteRole::Counter { step } => format!("counts up by {step}"),
        ByteRole::Checksum { checksum, .. } => format!("checksum: {}", checksum.name()),
    }
}

fn bytes_of(hex: &str) -> Vec<u8> {
    hex.as_bytes().chunks(2).filter_map(|pair| u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok()).collect()
}
