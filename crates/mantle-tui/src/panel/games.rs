//! Games: what a game would list of this slot.

use super::Ui;
use ratatui::layout::Rect;
use ratatui::style::Style;

pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let Some(detail) = ui.slot_detail() else { return };
    ui.text(area.x, area.y, area.width, ui.theme.quiet, "it lists                     whose it is               so");
    for (index, row) in detail.games.iter().enumerate() {
        let y = area.y + 1 + index as u16;
        if y >= area.bottom() {
            return;
        }
        ui.text(area.x, y, 28, Style::new(), &row.name);
        ui.text(area.x + 29, y, 25, Style::new(), &row.whose);
        let (style, sign) = if row.fine { (ui.theme.live, "✓") } else { (ui.theme.doubt, "▲") };
        ui.text(area.x + 55, y, area.width.saturating_sub(55), style, &format!("{sign} {}", row.verdict));
    }
    let y = area.y + 2 + detail.games.len() as u16;
    if y < area.bottom() && !detail.pad_node.is_empty() {
        let words = format!(
            "In the game choose {} {}. The system calls it {}.",
            if detail.kind.is_shaped() { "joystick" } else { "controller" },
            detail.game_number,
            detail.pad_node
        );
        ui.text(area.x, y, area.width, ui.theme.quiet, &words);
    }
}
