//! Readiness: what on this machine stands in the way of play, why it matters, what mends it, and what that changes. A finding
//! disappears once it is mended.
//!
//! ```text
//!  ── Readiness ─────────────────────────────────────────────
//!    ▲ Devices that play can only be held, not hidden.
//!      Games list them still, as dead pads, …
//!      mend      run this once: sudo placid-mantle setup --install --helper
//!      changes   a small program in /usr/local/lib/…
//! ```

use super::sheet;
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use mantle_talk::{Obstacle, as_sentence};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// The column of a finding's values.
const LABEL: u16 = 10;

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        key(KeyCode::Up, "↑", Intent::Up, "the finding above", false),
        key(KeyCode::Down, "↓", Intent::Down, "the next finding", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "back", true),
        letter('y', "y", Intent::Back, "back", false),
        letter('q', "q", Intent::Back, "back", false),
    ]
}

/// Draws the findings, from this one on.
pub fn draw(ui: &mut Ui<'_>, area: Rect, from: usize) {
    let width = area.width.saturating_sub(4).min(110);
    let snapshot = ui.snapshot;
    let found = snapshot.readiness.as_deref();
    // High enough for all findings and the words below them.
    let inside = width.saturating_sub(4);
    let needed: u16 = found.unwrap_or_default().iter().map(|one| lines(one, inside) + 1).sum();
    let at = sheet(ui, area, width, (needed + 6).min(area.height), "Readiness");
    let Some(found) = found else {
        ui.text(at.x, at.y, at.width, ui.theme.quiet, "Checking the machine.");
        return;
    };
    if found.is_empty() {
        ui.text(at.x, at.y, 1, ui.theme.live, "✓");
        ui.text(at.x + 2, at.y, at.width - 2, Style::new(), "This machine is ready to play.");
        return;
    }
    let from = from.min(found.len() - 1);
    let mut y = at.y;
    if from > 0 {
        ui.text(at.x, y, at.width, ui.theme.quiet, &format!("{from} above"));
        y += 1;
    }
    for (index, obstacle) in found.iter().enumerate().skip(from) {
        let room = at.bottom().saturating_sub(y);
        // Findings that do not fit whole are counted instead.
        if index > from && lines(obstacle, at.width) + 1 > room {
            let below = found.len() - index;
            ui.text(at.x, at.bottom().saturating_sub(1), at.width, ui.theme.quiet, &format!("{below} below"));
            return;
        }
        y += one(ui, Rect { y, height: room, ..at }, obstacle) + 1;
    }
    if found.iter().any(Obstacle::can_be_mended) && y < at.bottom() {
        let words = "sudo placid-mantle readiness --fix does it, asking about each";
        ui.text(at.x + 2, y, at.width - 2, ui.theme.quiet, words);
    }
}

/// Number of lines of a finding.
fn lines(obstacle: &Obstacle, width: u16) -> u16 {
    let of = |text: &str, width: u16| (text.chars().count() as u16).div_ceil(width.max(1)) + 1;
    let value = width.saturating_sub(2 + LABEL);
    of(&obstacle.what, width - 2)
        + of(&obstacle.why, width - 2)
        + of(&obstacle.remedy, value)
        + of(&obstacle.changes, value)
}

fn one(ui: &mut Ui<'_>, area: Rect, obstacle: &Obstacle) -> u16 {
    let mut y = area.y;
    let left = |y: u16| area.bottom().saturating_sub(y);
    ui.text(area.x, y, 1, ui.theme.doubt, "▲");
    let inner = Rect { x: area.x + 2, width: area.width - 2, ..area };
    y += ui.wrapped(Rect { y, height: left(y), ..inner }, ui.theme.strong, &as_sentence(&obstacle.what));
    if left(y) > 0 {
        y += ui.wrapped(Rect { y, height: left(y), ..inner }, Style::new(), &as_sentence(&obstacle.why));
    }
    let mut mend = vec![("mend", obstacle.remedy.as_str())];
    if obstacle.can_be_mended() {
        mend.push(("changes", obstacle.changes.as_str()));
    }
    for (label, text) in mend {
        if left(y) == 0 {
            break;
        }
        ui.text(inner.x, y, LABEL - 1, ui.theme.quiet, label);
        let at = Rect { x: inner.x + LABEL, y, width: inner.width - LABEL, height: left(y) };
        let style = if label == "mend" { ui.theme.key } else { ui.theme.quiet };
        y += ui.wrapped(at, style, text);
    }
    y - area.y
}
