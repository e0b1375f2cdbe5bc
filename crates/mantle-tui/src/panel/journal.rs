//! The journal: what happened, and when.

use super::Ui;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Draws the journal, `back` entries from the newest.
pub fn draw(ui: &mut Ui<'_>, area: Rect, back: usize) {
    ui.text(area.x + 1, area.y, 40, ui.theme.strong, "Journal");
    ui.text(
        area.x + 11,
        area.y,
        area.width.saturating_sub(12),
        ui.theme.quiet,
        "what happened, newest last; in seconds since the start",
    );
    let rows = usize::from(area.height.saturating_sub(2));
    let snapshot = ui.snapshot;
    let journal = &snapshot.journal;
    let end = journal.len().saturating_sub(back);
    let first = end.saturating_sub(rows);
    for (line, entry) in journal[first..end].iter().enumerate() {
        let y = area.y + 2 + line as u16;
        let (style, sign) = ui.theme.mark(entry.mark);
        let seconds = format!("{:>9.3}", entry.at.as_seconds());
        ui.text(area.x + 1, y, 10, ui.theme.quiet, &seconds);
        ui.text(area.x + 12, y, 1, style, sign);
        ui.text(area.x + 14, y, area.width.saturating_sub(15), Style::new(), &entry.text);
    }
    if journal.is_empty() {
        ui.text(area.x + 1, area.y + 2, area.width, ui.theme.quiet, "Nothing has happened yet.");
    }
}
