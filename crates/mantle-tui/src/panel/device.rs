//! Device: who it is, its nodes, and its controls beside it.

use super::Ui;
use super::{controls, traces};
use mantle_talk::DeviceDetail;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// What remains of each device if several do not fit.
const SHORTLY: [&str; 4] = ["plugged in", "battery", "to games", "nodes"];

pub fn draw(ui: &mut Ui<'_>, area: Rect, in_hand: bool) {
    // Without a list beside it, the text has the full width.
    let wide = area.width > 90;
    let left =
        Rect { width: if !wide { area.width } else { area.width.min(if area.width < 120 { 44 } else { 52 }) }, ..area };
    let mut told: Vec<_> =
        ui.device_details().iter().map(|device| (device, lines_of(device, area.height > 24))).collect();
    let needed: usize = told.iter().map(|(_, lines)| lines.len() + 2).sum();
    if told.len() > 1 && needed > usize::from(area.height) + 1 {
        told.iter_mut().for_each(|(_, lines)| lines.retain(|(label, _)| SHORTLY.contains(label)));
    }
    let mut y = 0;
    for (device, lines) in &told {
        if y >= area.height {
            return;
        }
        let name = if device.present { device.name.clone() } else { format!("{} (away)", device.name) };
        ui.pair(left, y, "name", &name);
        for (label, value) in lines {
            y += 1;
            ui.pair(left, y, label, value);
        }
        let refused = device.nodes.first().is_some_and(|node| node.access.starts_with("refused"));
        if !device.last_bad.is_empty() && !refused && y + 1 < area.height {
            y += 1;
            ui.text(left.x + 12, left.y + y, left.width.saturating_sub(12), ui.theme.wrong, &device.last_bad);
        }
        y += 2;
    }
    if area.height > 24 && wide {
        y += history(ui, Rect { y: area.y + y, height: area.height.saturating_sub(y).min(MOST_HISTORY), ..left });
    }
    if wide {
        let right = Rect { x: left.right() + 2, width: area.right() - left.right() - 2, ..area };
        let listed = controls::draw(ui, right, in_hand);
        // Below both: what has moved recently.
        let used = y.max(listed) + 1;
        let below = Rect { x: area.x, y: area.y + used, width: area.width, height: area.height.saturating_sub(used) };
        traces::controls(ui, below);
    } else if area.height > y + 3 {
        let below = Rect { y: area.y + y, height: area.height - y, ..area };
        controls::draw(ui, below, in_hand);
    } else if ui.device_details().is_empty() {
        ui.text(area.x, area.y, area.width, Style::new(), "No device in this slot.");
    }
}

/// The facts about a device as labels and values; `much` adds counts.
fn lines_of(device: &DeviceDetail, much: bool) -> Vec<(&str, String)> {
    let (vendor, product, version) = device.ids;
    let serial = if device.serial.is_empty() { "none: recognised by its port".into() } else { device.serial.clone() };
    let mut lines = vec![
        ("plugged in", format!("{} · {vendor:04x}:{product:04x} version {version:04x}", device.place)),
        ("serial", serial),
    ];
    if !device.present {
        return lines;
    }
    lines.push(("it says", format!("{} · {}", device.what, device.driver)));
    if let Some(sheet) = &device.sheet {
        lines.push(("read by", format!("sheet {sheet}")));
    }
    lines.extend(device.sensed.iter().map(|(label, value)| (label.as_str(), value.clone())));
    lines.push(("to games", super::explained(&device.cover)));
    if let Some(passes) = device.passes {
        lines.push(("unused keys", if passes { "reach the system" } else { "are kept back" }.into()));
    }
    for (index, node) in device.nodes.iter().enumerate() {
        lines.push((if index == 0 { "nodes" } else { "" }, format!("{:<20} {}", node.path, node.access)));
    }
    if much {
        let (all, good, bad) = device.reports;
        lines.push(("reports", format!("{all} came: {good} read, {bad} unreadable")));
        lines.push(("controls", device.count_of_controls()));
    }
    lines
}

/// The most lines for the journal on a high screen.
const MOST_HISTORY: u16 = 9;

/// Draws the journal's entries about these devices. Returns the number of lines used.
fn history(ui: &mut Ui<'_>, area: Rect) -> u16 {
    let devices = ui.device_details();
    let own = |text: &str| devices.iter().any(|device| text.contains(device.name.as_str()));
    let snapshot = ui.snapshot;
    let journal: Vec<_> = snapshot.journal.iter().filter(|entry| own(&entry.text)).collect();
    if journal.is_empty() || area.height < 3 {
        return 0;
    }
    ui.text(area.x, area.y, area.width, ui.theme.quiet, "what happened to it, newest first; j shows all");
    let mut y = area.y + 1;
    for entry in journal.iter().rev() {
        let (style, sign) = ui.theme.mark(entry.mark);
        for (line, text) in crate::widths::wrap(&entry.text, usize::from(area.width - 14)).iter().enumerate() {
            if y >= area.bottom() {
                return area.height;
            }
            if line == 0 {
                ui.text(area.x, y, 10, ui.theme.quiet, &format!("{:>8.1} s", entry.at.as_seconds()));
                ui.text(area.x + 12, y, 1, style, sign);
            }
            ui.text(area.x + 14, y, area.width - 14, Style::new(), text);
            y += 1;
        }
    }
    y - area.y
}
