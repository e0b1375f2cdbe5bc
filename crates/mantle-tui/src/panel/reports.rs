//! Reports: the latest one as a grid of bytes whose changed bits glow and fade, and the decoded fields beside it.
//!
//! ```text
//! id 1   250 /s   every 4.0 ms, jitter 0.1 ms, longest 8.1 ms
//!   0  0  01  ........                        bit   what          raw   of its range
//!   1  1  3f  ..######   counts up by 1         8   X             128   ····●····
//! ```

use super::{Ui, traces};
use crate::widths::{cells, wrap};
use mantle_talk::{ByteRole, DeviceDetail, FieldRow, Gaps, HistoryRow, ReportRow, ReportsDetail, SpreadView, took};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

/// Width of the grid with a word about each byte; narrower on narrow screens.
fn grid(area: Rect) -> u16 {
    if area.width > 62 + 40 { 62 } else { 49 }
}

/// Below this height there is no room for bars.
const SMALL: u16 = 14;
/// Bars of the picture of a minute.
const BARS: usize = 32;

/// Draws the reports of the chosen devices.
pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let devices = ui.device_details();
    let mut y = area.y;
    if let Some(tape) = &ui.snapshot.recording {
        let words = match &tape.ended {
            None => format!("● recording: {} reports in {}; r ends it", tape.count, tape.file),
            Some(_) if tape.count > 0 => format!("recorded: {} reports in {}", tape.count, tape.file),
            Some(why) => format!("▲ not recorded: {why} {}", tape.file),
        };
        let style = if tape.ended.is_none() { ui.theme.live } else { ui.theme.quiet };
        ui.text(area.x, y, area.width, style, &words);
        y += 1;
    }
    for device in devices {
        if y >= area.bottom() {
            return;
        }
        let at = Rect { y, height: area.bottom() - y, ..area };
        y += one(ui, at, device, devices.len() > 1) + 1;
    }
    compared(ui, Rect { y, height: area.bottom().saturating_sub(y), ..area });
}

/// On a high screen, below the reports: the gaps between them, beside what they did.
fn compared(ui: &mut Ui<'_>, area: Rect) {
    if area.height < 7 || area.width < 130 || ui.frozen.is_some() {
        return;
    }
    let arriving = ui.device_details().iter().find_map(|device| device.arriving.as_ref());
    let Some(spread) = arriving.map(|arriving| &arriving.spread).filter(|spread| !spread.bars.is_empty()) else {
        return traces::controls(ui, area);
    };
    histogram(ui, Rect { width: BARS as u16 + 18, ..area }, spread);
    traces::controls(ui, Rect { x: area.x + grid(area), width: area.width - grid(area), ..area });
}

/// A histogram of the gaps of the last minute, over a scale that doubles.
fn histogram(ui: &mut Ui<'_>, area: Rect, spread: &SpreadView) {
    let rows = (area.height - 3).min(10);
    let columns = spread.columns(BARS);
    let (most, all) = (columns.iter().copied().max().unwrap_or(0).max(1), columns.iter().sum::<u32>().max(1));
    ui.text(area.x, area.y, area.width, ui.theme.quiet, "time between reports, the last minute");
    for (column, count) in columns.iter().enumerate() {
        // As high as the root of its share, so that rare gaps are visible.
        let eighths = ((f64::from(*count) / f64::from(most)).sqrt() * f64::from(rows * 8)).round() as u16;
        let eighths = if *count > 0 { eighths.max(1) } else { 0 };
        for row in 0..rows {
            let filled = eighths.saturating_sub(row * 8).min(8);
            if filled > 0 {
                let sign = super::BARS[usize::from(filled - 1)].to_string();
                ui.text(area.x + column as u16, area.y + rows - row, 1, ui.theme.live, &sign);
            }
        }
    }
    let share = f64::from(most) * 100.0 / f64::from(all);
    ui.text(area.x + BARS as u16 + 1, area.y + 1, 16, ui.theme.quiet, &format!("{share:.0} % of all"));
    let first = took(spread.bars[0].0);
    let last = took(SpreadView::end_of(spread.bars[spread.bars.len() - 1].0));
    let below = area.y + rows + 1;
    ui.text(area.x, below, area.width, ui.theme.quiet, &first);
    let at = (area.x + BARS as u16).saturating_sub(cells(&last) as u16).max(area.x + cells(&first) as u16 + 1);
    ui.text(at, below, area.right().saturating_sub(at), ui.theme.quiet, &last);
}

/// Draws one device. Returns the number of lines used.
fn one(ui: &mut Ui<'_>, area: Rect, device: &DeviceDetail, several: bool) -> u16 {
    let (all, good, bad) = device.reports;
    let mut y = 0;
    let from_input = device.nodes.first().is_some_and(|node| node.path.starts_with("/dev/input"));
    let how = match device.driver.as_str() {
        "recording" => "as recorded",
        _ if from_input => "as the kernel's input node gives them",
        _ => "as hidraw gives them",
    };
    let mut head = format!("{all} came, {how}: {good} read, {bad} unreadable");
    if several {
        head = format!("{}: {head}", device.name);
    }
    ui.text(area.x, area.y, area.width, ui.theme.quiet, &head);
    if !device.last_bad.is_empty() {
        y += 1;
        let words = format!("the last unreadable one: {}", device.last_bad);
        ui.text(area.x, area.y + y, area.width, ui.theme.wrong, &words);
    }
    let Some(arriving) = &device.arriving else {
        let words = match all {
            0 => "No reports yet: press a button on it.",
            _ if device.present => {
                "A keyboard's reports are neither shown nor kept; y shows them, and hides them again."
            }
            _ => "It is not connected.",
        };
        ui.text(area.x, area.y + y + 1, area.width, ui.theme.quiet, words);
        return y + 2;
    };
    if arriving.ids.is_empty() {
        ui.text(area.x, area.y + y + 1, area.width, ui.theme.quiet, "No reports yet: press a button on it.");
        return y + 2;
    }
    y += 1;
    let at = Rect { y: area.y + y, height: area.height.saturating_sub(y).max(1), ..area };
    y += minute(ui, at, arriving);
    let stopped = ui.frozen.filter(|frozen| frozen.node == device.node);
    if let Some(frozen) = stopped {
        let words = match (frozen.row(), frozen.at) {
            (Some(row), Some(at)) => {
                let ago = ui.snapshot.now.since(row.at).as_seconds();
                let more = if frozen.more { " and more" } else { "" };
                let behind = frozen.rows.len() - 1 - at;
                format!("stopped {ago:.3} s ago · {behind} later, {at}{more} earlier, of the last 30 s")
            }
            _ => "stopped".to_owned(),
        };
        y += 1;
        ui.text(area.x, area.y + y, area.width, ui.theme.doubt, &words);
        if let Some(row) = frozen.row() {
            let before = frozen.before(arriving.numbered);
            y += 1;
            let at = Rect { y: area.y + y, height: area.height.saturating_sub(y), ..area };
            return y + still(ui, at, device, arriving.numbered, row, before);
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
    let left = Rect { y: area.y + y, height: area.height.saturating_sub(y), ..area };
    y + causes(ui, left, &arriving.causes)
}

/// The gaps of the last minute, as numbers and as bars. Returns the number of lines after the first.
fn minute(ui: &mut Ui<'_>, area: Rect, arriving: &ReportsDetail) -> u16 {
    let spread = &arriving.spread;
    let mut words = format!(
        "last minute: {} apart, 1 % over {}, longest {}",
        took(spread.p50),
        took(spread.p99),
        took(spread.most)
    );
    match (arriving.steady, arriving.lost) {
        (Some(_), (lost, all)) if lost > 0 => {
            let percent = 100.0 * f64::from(lost) / f64::from(all.max(1));
            words += &format!("; {lost} lost ({percent:.1} %)");
        }
        (Some(_), _) => words += "; none lost",
        (None, _) => words += "; it sends changes only",
    }
    ui.text(area.x, area.y, area.width, Style::new(), &words);
    if area.height < SMALL || spread.bars.is_empty() {
        return 0;
    }
    let (first, last) = (took(spread.bars[0].0), took(SpreadView::end_of(spread.bars[spread.bars.len() - 1].0)));
    let x = ui.text(area.x, area.y + 1, area.width, ui.theme.quiet, &format!("{first} "));
    let x = ui.text(x, area.y + 1, area.right().saturating_sub(x), ui.theme.live, &bars(spread));
    ui.text(x, area.y + 1, area.right().saturating_sub(x), ui.theme.quiet, &format!(" {last}"));
    1
}

/// How often each gap occurred, over a scale that doubles; as high as the root of its share, so that rare gaps are visible.
fn bars(spread: &SpreadView) -> String {
    const HEIGHTS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let columns = spread.columns(BARS);
    let most = f64::from(columns.iter().copied().max().unwrap_or(1).max(1));
    let height = |count: u32| match count {
        0 => '·',
        count => HEIGHTS[((f64::from(count) / most).sqrt() * 7.0).round() as usize],
    };
    columns.into_iter().map(height).collect()
}

/// What adds delay on the device's way, and what can be done about it. Returns the number of lines used.
fn causes(ui: &mut Ui<'_>, area: Rect, causes: &[String]) -> u16 {
    let mut y = 0;
    for cause in causes {
        for (at, line) in wrap(cause, usize::from(area.width.saturating_sub(2))).iter().enumerate() {
            if y >= area.height {
                return y;
            }
            let style = ui.theme.quiet;
            ui.text(area.x, area.y + y, 2, style, if at == 0 { "· " } else { "  " });
            ui.text(area.x + 2, area.y + y, area.width.saturating_sub(2), style, line);
            y += 1;
        }
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
    let down = u16::from(cells(&head) >= usize::from(grid(area)));
    ui.text(area.x, area.y, area.width, Style::new(), &head);
    let bytes = bytes_of(&row.bytes);
    let rows = area.height.saturating_sub(1);
    let heat: Vec<u8> = row.heat.bytes().map(|digit| digit.saturating_sub(b'0')).collect();
    let shown = (bytes.len() as u16).min(rows);
    for (index, byte) in bytes.iter().enumerate().take(usize::from(shown)) {
        let glow: Vec<u8> = (0..8).map(|bit| heat.get(index * 8 + bit).copied().unwrap_or(0)).collect();
        let role = row.roles.get(index).map(role_words).unwrap_or_default();
        byte_line(ui, Rect { y: area.y + 1 + index as u16, ..area }, index, *byte, &glow, &role);
    }
    let mut lines = shown;
    let grid = grid(area);
    if area.width >= grid + NARROW {
        let fields: Vec<&FieldRow> = device.fields.iter().filter(|field| !numbered || field.report == row.id).collect();
        let right = Rect { x: area.x + grid, width: area.width - grid, y: area.y + down, height: area.height - down };
        lines = lines.max((field_list(ui, right, &fields) + down).saturating_sub(1));
    }
    if usize::from(shown) < bytes.len() {
        let words = format!("and {} more bytes", bytes.len() - usize::from(shown));
        ui.text(area.x, area.y + shown, area.width.min(grid), ui.theme.quiet, &format!("{words:<40}"));
    }
    lines + 1
}

/// The fields beside the grid: one column if all fit, else as many columns as there is room for.
fn field_list(ui: &mut Ui<'_>, area: Rect, fields: &[&FieldRow]) -> u16 {
    const COLUMN: u16 = 46;
    let bars = area.width >= COLUMN;
    let height = area.height.saturating_sub(1).max(1);
    let columns = (fields.len() as u16).div_ceil(height).clamp(1, (area.width / COLUMN).max(1));
    let rows = (fields.len() as u16).div_ceil(columns).min(height);
    let raw_at = if bars { 23 } else { area.width.saturating_sub(7) };
    let shares = columns == 1 && area.width >= COLUMN + 12;
    if fields.is_empty() {
        return 0;
    }
    // If not all fit, single bits go last: the grid shows them already.
    let mut fields = fields.to_vec();
    let room = usize::from(rows * columns);
    if fields.len() > room {
        fields.sort_by_key(|field| field.width == 1);
        let words = format!("and {} more fields", fields.len() + 1 - room);
        fields.truncate(room - 1);
        let last = (columns - 1) * COLUMN;
        ui.text(area.x + last + 9, area.y + rows, area.width.saturating_sub(last + 9), ui.theme.quiet, &words);
    }
    for column in 0..columns {
        let x = area.x + column * COLUMN;
        ui.text(x, area.y, area.width, ui.theme.quiet, " bit  no field");
        ui.text(x + raw_at, area.y, 7, ui.theme.quiet, "    raw");
        if shares {
            ui.text(x + 45, area.y, 14, ui.theme.quiet, "of its range");
        }
    }
    for (index, field) in fields.iter().enumerate() {
        let (column, row) = (index as u16 / rows, index as u16 % rows);
        if column >= columns {
            break;
        }
        let (x, y) = (area.x + column * COLUMN, area.y + 1 + row);
        let down = field.raw != 0 && field.width == 1;
        let style = if down { ui.theme.live } else { Style::new() };
        ui.text(x, y, 5, ui.theme.quiet, &format!("{:>4}", field.offset));
        let number = field.control.map(|number| format!("{number:>3}")).unwrap_or_default();
        ui.text(x + 5, y, 3, ui.theme.quiet, &number);
        ui.text(x + 9, y, raw_at - 9, style, &field.name);
        let raw = match (field.width, field.raw) {
            (1, 0) => format!("{:>7}", "·"),
            _ => format!("{:>7}", field.raw),
        };
        let quiet = if field.width == 1 && !down { ui.theme.quiet } else { style };
        ui.text(x + raw_at, y, 7, quiet, &raw);
        if field.width > 1 && bars {
            ui.slide(x + 31, y, 13, field.share, style);
            if shares {
                let share = || format!("{:>5.1} %", field.share * 100.0);
                ui.text(x + 45, y, 13, ui.theme.quiet, &field.measured().unwrap_or_else(share));
            }
        }
    }
    rows + 1
}

/// The least width of a column of fields.
const NARROW: u16 = 27;

/// A frozen report beside the previous one, with differences marked, and its meaning.
fn still(
    ui: &mut Ui<'_>,
    area: Rect,
    device: &DeviceDetail,
    numbered: bool,
    row: &HistoryRow,
    before: Option<&HistoryRow>,
) -> u16 {
    let bytes = bytes_of(&row.bytes);
    let mut lines = 0;
    let grid = grid(area);
    if area.width >= grid + NARROW {
        let (id, body) = if numbered { (bytes.first().copied().unwrap_or(0), 1) } else { (0, 0) };
        let body = bytes.get(body..).unwrap_or_default();
        let mine = device.fields.iter().filter(|field| field.report == id);
        let fields: Vec<FieldRow> = mine.filter_map(|field| field.of(body)).collect();
        let right = Rect { x: area.x + grid, width: area.width - grid, ..area };
        lines = field_list(ui, right, &fields.iter().collect::<Vec<_>>());
    }
    let old = before.map(|before| bytes_of(&before.bytes)).unwrap_or_else(|| bytes.clone());
    let shown = (bytes.len() as u16).min(area.height);
    for (index, byte) in bytes.iter().enumerate().take(usize::from(shown)) {
        let was = old.get(index).copied().unwrap_or(*byte);
        let glow: Vec<u8> = (0..8).map(|bit| if (was ^ byte) >> bit & 1 == 1 { 9 } else { 0 }).collect();
        let words = if was == *byte { String::new() } else { format!("was {was:02x}") };
        byte_line(ui, Rect { y: area.y + index as u16, ..area }, index, *byte, &glow, &words);
    }
    let lines = lines.max(shown) + 1;
    let below = Rect { y: area.y + lines.min(area.height), height: area.height.saturating_sub(lines), ..area };
    lines + neighbours(ui, below)
}

/// The reports around the frozen one.
fn neighbours(ui: &mut Ui<'_>, area: Rect) -> u16 {
    let Some((frozen, at)) = ui.frozen.and_then(|frozen| Some((frozen, frozen.at?))) else { return 0 };
    if area.height < 4 {
        return 0;
    }
    let wanted = usize::from(area.height.min(15) - 1);
    let first = at.saturating_sub(wanted / 2).min(frozen.rows.len().saturating_sub(wanted));
    ui.text(area.x, area.y, area.width, ui.theme.quiet, "    after       bytes");
    let around = frozen.rows.iter().enumerate().skip(first).take(wanted);
    for (line, (index, row)) in around.enumerate() {
        let y = area.y + 1 + line as u16;
        let (mark, style) =
            if index == at { ("▸", Style::new().add_modifier(Modifier::BOLD)) } else { (" ", Style::new()) };
        ui.text(area.x + 1, y, 1, ui.theme.live, mark);
        let before = index.checked_sub(1).and_then(|before| frozen.rows.get(before));
        let gap = before.map(|before| format!("{:>9.3} ms", row.at.since(before.at).as_seconds() * 1000.0));
        ui.text(area.x + 3, y, 12, ui.theme.quiet, &gap.unwrap_or_default());
        let spaced: Vec<&str> = (0..row.bytes.len() / 2).map(|byte| &row.bytes[byte * 2..byte * 2 + 2]).collect();
        ui.text(area.x + 16, y, area.width.saturating_sub(16), style, &spaced.join(" "));
    }
    wanted as u16 + 1
}

/// A byte: its index, its value in hex and decimal, its bits from the highest, and a word about it.
fn byte_line(ui: &mut Ui<'_>, area: Rect, index: usize, byte: u8, glow: &[u8], words: &str) {
    let Rect { x, y, .. } = area;
    let hottest = glow.iter().copied().max().unwrap_or(0);
    ui.text(x, y, 4, ui.theme.quiet, &format!("{index:>3}"));
    ui.text(x + 5, y, 2, style_of(ui, hottest), &format!("{byte:02x}"));
    ui.text(x + 8, y, 3, ui.theme.quiet, &format!("{byte:>3}"));
    for bit in 0..8u16 {
        let heat = glow.get(usize::from(bit)).copied().unwrap_or(0);
        let set = byte >> bit & 1 == 1;
        // A changed bit is marked by a sign, too, not by style alone.
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
    ui.text(x + 32, y, grid(area) - 33, ui.theme.quiet, words);
}

/// The style of a change by its age: strong, then live, then plain.
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
