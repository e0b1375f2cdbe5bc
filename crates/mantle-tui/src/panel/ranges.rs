//! One line per axis: the promised range, the range seen, the calibrated rest and ends, the value now.

use super::Ui;
use mantle_talk::ControlRow;
use ratatui::layout::Rect;

const NAME: u16 = 18;
const BAR: u16 = 72;

/// Draws as many as fit. Returns the number of lines used.
pub fn draw(ui: &mut Ui<'_>, area: Rect) -> u16 {
    let axes: Vec<ControlRow> = ui
        .device_details()
        .iter()
        .filter(|device| device.reports.1 > 0)
        .flat_map(|device| device.controls.iter().filter(|control| control.kind == "axis").cloned())
        .collect();
    let lines = axes.len() as u16 + 2;
    if axes.is_empty() || area.height < lines + 4 || area.width < NAME + 40 {
        return 0;
    }
    let words = "how far each axis goes:  · promised  ─ seen here  [ | ] calibrated: lowest, rest, highest  ● now";
    ui.text(area.x, area.y, area.width, ui.theme.quiet, words);
    for (line, axis) in axes.iter().enumerate() {
        one(ui, Rect { y: area.y + 1 + line as u16, height: 1, ..area }, axis);
    }
    lines
}

fn one(ui: &mut Ui<'_>, at: Rect, axis: &ControlRow) {
    let theme = ui.theme;
    let bar = BAR.min(at.width.saturating_sub(NAME + 22));
    let (low, high) = axis.promised;
    let place = |raw: i32| {
        let along = (f64::from(raw) - f64::from(low)) / (f64::from(high) - f64::from(low)).max(1.0);
        at.x + NAME + (along.clamp(0.0, 1.0) * f64::from(bar - 1)).round() as u16
    };
    ui.text(at.x, at.y, NAME - 1, ratatui::style::Style::new(), &axis.name);
    ui.fill(at.x + NAME, at.y, bar, theme.line, "·");
    if let Some((from, to)) = axis.seen {
        ui.fill(place(from), at.y, place(to) - place(from) + 1, theme.quiet, "─");
    }
    if let Some((lowest, rest, highest)) = axis.calibrated {
        for (raw, sign) in [(lowest, "["), (rest, "|"), (highest, "]")] {
            ui.text(place(raw), at.y, 1, theme.key, sign);
        }
    }
    ui.text(place(axis.raw), at.y, 1, theme.live, "●");
    let words = match axis.calibrated {
        Some((lowest, rest, highest)) => format!("{lowest} / {rest} / {highest}"),
        None => format!("{low} to {high}, as promised"),
    };
    ui.text(at.x + NAME + bar + 2, at.y, at.width.saturating_sub(NAME + bar + 2), theme.quiet, &words);
}
