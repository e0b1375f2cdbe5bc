//! Profiles: who uses which, and how they differ.
//!
//! ```text
//! Profiles   12 bindings, 2 layers: what a slot plays by
//! ▸ ferry     slot 2      12 bindings  1 layer            │  ferry, and how crane does it otherwise
//!   crane     –           25 bindings            types 4  │  South        button 1      button 2
//! ```

use crate::panel::Ui;
use mantle_talk::{ProfileRow, ProfilesView, SlotNumber};
use ratatui::layout::Rect;
use ratatui::style::Style;

const LIST: u16 = 70;

/// Draws the list with one profile chosen; `scroll` differences are hidden above.
pub fn draw(ui: &mut Ui<'_>, area: Rect, chosen: usize, scroll: usize, slot: Option<SlotNumber>) {
    ui.text(area.x + 1, area.y, 10, ui.theme.strong, "Profiles");
    let whose = slot.map_or(String::new(), |slot| format!("; Enter: {slot} plays by the chosen one"));
    let words = format!("which profile a slot uses{whose}");
    ui.text(area.x + 11, area.y, area.width.saturating_sub(12), ui.theme.quiet, &words);
    let below = Rect { x: area.x + 1, y: area.y + 2, width: area.width - 2, height: area.height.saturating_sub(2) };
    let Some(view) = ui.snapshot.shelf.as_deref() else { return };
    let (list, right) = if below.width > LIST + 50 {
        let list = Rect { width: LIST, ..below };
        (list, Rect { x: below.x + LIST + 3, width: below.width - LIST - 3, ..below })
    } else {
        let rows = (view.rows.len() as u16 + 2).min(below.height / 2);
        let list = Rect { height: rows, ..below };
        (list, Rect { y: below.y + rows + 1, height: below.height.saturating_sub(rows + 1), ..below })
    };
    rows(ui, list, view, chosen);
    differences(ui, right, view, chosen, scroll);
}

fn rows(ui: &mut Ui<'_>, at: Rect, view: &ProfilesView, chosen: usize) {
    let shown = usize::from(at.height.saturating_sub(1)).max(1);
    let first = (chosen + 1).saturating_sub(shown);
    for (column, title) in [(2, "profile"), (24, "plays for"), (38, "says")] {
        ui.text(at.x + column, at.y, 12, ui.theme.quiet, title);
    }
    for (line, (index, row)) in view.rows.iter().enumerate().skip(first).take(shown).enumerate() {
        let y = at.y + 1 + line as u16;
        let is_chosen = index == chosen;
        ui.text(at.x, y, 1, ui.theme.key, if is_chosen { "▸" } else { " " });
        ui.text(at.x + 2, y, 21, if is_chosen { ui.theme.chosen } else { Style::new() }, &row.name);
        let (style, players) = players(ui, row);
        ui.text(at.x + 24, y, 13, style, &players);
        ui.text(at.x + 38, y, at.width.saturating_sub(38), ui.theme.quiet, &says(row));
        ui.clicks.push((Rect { y, height: 1, ..at }, crate::rows::Click::Profile(index)));
    }
}

fn players(ui: &Ui<'_>, row: &ProfileRow) -> (Style, String) {
    let numbers: Vec<String> = row.players.iter().map(|slot| slot.number().to_string()).collect();
    match numbers.len() {
        0 => (ui.theme.quiet, "nobody".into()),
        1 => (Style::new(), format!("slot {}", numbers[0])),
        _ => (Style::new(), format!("slots {}", numbers.join(", "))),
    }
}

fn says(row: &ProfileRow) -> String {
    let counted = |count: u16, one: &str| match count {
        1 => format!("1 {one}"),
        n => format!("{n} {one}s"),
    };
    let mut words = vec![match row.bindings {
        0 => "default".to_owned(),
        n => counted(n, "binding"),
    }];
    words.extend((row.layers > 0).then(|| counted(row.layers.into(), "layer")));
    words.extend((row.types > 0).then(|| format!("types {}", row.types)));
    // A profile for several kinds does not list them.
    words.extend((row.kinds.len() == 1).then(|| format!("for {}", row.kinds[0])));
    words.join(", ")
}

fn differences(ui: &mut Ui<'_>, at: Rect, view: &ProfilesView, chosen: usize, scroll: usize) {
    let (one, other) = view.compared;
    let name = |at: u16| view.rows.get(usize::from(at)).map_or("", |row| row.name.as_str());
    let Some(row) = view.rows.get(chosen) else { return };
    let file = if row.file.is_empty() { "no file: everything has its default binding" } else { &row.file };
    ui.text(at.x, at.y, at.width, ui.theme.quiet, file);
    let mut y = at.y + 1;
    if !row.notes.is_empty() && at.height > 8 {
        let lines = ui.wrapped(Rect { y, height: 2, ..at }, Style::new(), &row.notes);
        y += lines;
    }
    y += 1;
    // Right after a move these are still the previous profile's differences.
    if usize::from(one) != chosen || y + 2 > at.bottom() {
        return;
    }
    if one == other {
        ui.text(at.x, y, at.width, ui.theme.quiet, "Choose another profile to see how it differs.");
        return;
    }
    let heading = match view.count {
        0 => format!("{} and {} play and feel the same", name(one), name(other)),
        1 => format!("1 difference between {} and {}", name(one), name(other)),
        count => format!("{count} differences between {} and {}", name(one), name(other)),
    };
    ui.text(at.x, y, at.width, ui.theme.strong, &heading);
    if view.count == 0 {
        return;
    }
    let what = (at.width / 3).clamp(18, 32);
    let each = at.width.saturating_sub(what + 2) / 2;
    let columns = [(0, what - 1), (what, each - 1), (what + each + 1, each)];
    y += 1;
    for ((x, width), title) in columns.into_iter().skip(1).zip([name(one), name(other)]) {
        ui.text(at.x + x, y, width, ui.theme.quiet, title);
    }
    y += 1;
    let room = usize::from(at.bottom().saturating_sub(y));
    let scroll = scroll.min(view.differences.len().saturating_sub(room));
    for (line, found) in view.differences.iter().skip(scroll).take(room).enumerate() {
        let y = y + line as u16;
        let left = view.differences.len() - scroll - line - 1;
        if line + 1 == room && left > 0 {
            ui.text(at.x, y, at.width, ui.theme.quiet, &format!("and {} more: ]", left + 1));
            return;
        }
        let shown = |text: &str| if text.is_empty() { "–".to_owned() } else { text.to_owned() };
        for ((x, width), text) in columns.into_iter().zip([found.what.clone(), shown(&found.one), shown(&found.other)])
        {
            let style = if x == 0 { ui.theme.quiet } else { Style::new() };
            ui.text(at.x + x, y, width, style, &text);
        }
    }
}
