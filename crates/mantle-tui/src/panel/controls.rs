//! Controls: each with its number, its live value, and what it plays.

use super::Ui;
use crate::app::Click;
use ratatui::layout::Rect;
use ratatui::style::Style;

const COLUMN: u16 = 50;

pub fn draw(ui: &mut Ui<'_>, area: Rect, in_hand: bool) {
    let controls: Vec<_> = ui.device_details().iter().flat_map(|device| device.controls.clone()).collect();
    if controls.is_empty() {
        ui.text(area.x, area.y, area.width, ui.theme.quiet, "No control is known of it.");
        return;
    }
    let columns = (area.width / COLUMN).max(1);
    let column_width = area.width / columns;
    let mut rows = area.height.saturating_sub(1).max(1);
    if controls.len() > usize::from(columns * rows) {
        // The last line says that there are more.
        rows = rows.saturating_sub(1).max(1);
    }
    let shown = usize::from(columns * rows);
    let tall = (controls.len() as u16).div_ceil(columns).clamp(8.min(rows), rows);
    for (index, control) in controls.iter().enumerate().take(shown) {
        let (column, row) = (index as u16 / tall, index as u16 % tall);
        if column >= columns {
            break;
        }
        let x = area.x + column * column_width;
        let width = column_width.min(area.right().saturating_sub(x));
        if row == 0 {
            ui.text(x, area.y, width, ui.theme.quiet, "  no control      value            plays");
        }
        let y = area.y + 1 + row;
        let style = if control.active { ui.theme.live } else { Style::new() };
        let sign = if control.active { "●" } else { "·" };
        ui.text(x, y, 1, if control.active { ui.theme.live } else { ui.theme.line }, sign);
        ui.text(x + 2, y, 3, ui.theme.quiet, &format!("{:>2}", control.number));
        ui.text(x + 5, y, 12, style, &control.name);
        let place = Rect { x: x + 18, y, width: 9, height: 1 };
        match control.kind.as_str() {
            "button" | "key" => {
                ui.text(place.x, y, 9, style, if control.active { "down" } else { "·" });
            }
            "axis" => ui.slide(place.x, y, 9, control.share, style),
            _ => {
                ui.text(place.x, y, 9, style, &control.raw.to_string());
            }
        }
        if control.kind == "axis" {
            ui.text(x + 28, y, 6, style, &format!("{:>6}", control.raw));
        }
        let plays = if control.plays.is_empty() { "·" } else { &control.plays };
        ui.text(x + 35, y, width.saturating_sub(36), ui.theme.quiet, plays);
        if in_hand {
            let travels = control.kind == "axis";
            ui.clicks.push((place, Click::Control { number: control.number, travels }));
        }
    }
    let left = controls.len().saturating_sub(usize::from(columns * tall));
    if left > 0 {
        let words = format!("and {left} more: C shows all");
        ui.text(area.x, area.bottom() - 1, area.width, ui.theme.quiet, &format!("{words:<48}"));
    }
}
