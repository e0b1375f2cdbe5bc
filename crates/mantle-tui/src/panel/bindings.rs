//! Bindings: all targets with their sources, and what was left out.

use super::Ui;
use ratatui::layout::Rect;
use ratatui::style::Style;

const COLUMN: u16 = 46;

pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let Some(detail) = ui.slot_detail() else { return };
    let columns = (area.width / COLUMN).clamp(1, 2);
    let rows = area.height.saturating_sub(1).max(1);
    let tall = (detail.bindings.len() as u16).div_ceil(columns).min(rows);
    ui.text(area.x, area.y, area.width, ui.theme.quiet, "  target              source");
    if columns > 1 {
        ui.text(area.x + COLUMN, area.y, COLUMN, ui.theme.quiet, "  target              source");
    }
    for (index, binding) in detail.bindings.iter().enumerate() {
        let (column, row) = (index as u16 / tall, index as u16 % tall);
        if column >= columns {
            break;
        }
        let (x, y) = (area.x + column * COLUMN, area.y + 1 + row);
        let width = (COLUMN - 1).min(area.right().saturating_sub(x));
        let live = binding.share > 0.02;
        let style = if live { ui.theme.live } else { Style::new() };
        ui.text(x, y, 1, if live { ui.theme.live } else { ui.theme.line }, if live { "●" } else { "·" });
        if binding.sources.is_empty() {
            ui.text(x + 2, y, 19, ui.theme.quiet, binding.target.name());
            ui.text(x + 22, y, width.saturating_sub(22), ui.theme.quiet, "left out");
        } else {
            ui.text(x + 2, y, 19, style, binding.target.name());
            ui.text(x + 22, y, width.saturating_sub(22), style, &format!("← {}", binding.sources.join(", ")));
        }
    }
    let beside = columns * COLUMN;
    if area.width > beside + 30 && !detail.left_out.is_empty() {
        let at = Rect { x: area.x + beside, width: area.width - beside, ..area };
        ui.text(at.x, at.y, at.width, ui.theme.quiet, "controls that play nothing");
        for (index, (name, why)) in detail.left_out.iter().enumerate() {
            let y = at.y + 1 + 2 * index as u16;
            if y + 1 >= at.bottom() {
                break;
            }
            ui.text(at.x, y, at.width, Style::new(), name);
            ui.text(at.x + 2, y + 1, at.width - 2, ui.theme.quiet, why);
        }
    }
}
