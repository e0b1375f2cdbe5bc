//! Games: what a game that starts now would see, with faults marked and their remedies beside them, and who has what open.
//!
//! ```text
//! A game sees the pad of slot 1 alone, as controller 1.  Choose controller 1: the system calls it /dev/input/event9.
//!  no.  what a game finds          whose it is          how it stands      │  name      Placid Mantle common pad 1
//!   1 ✓ Placid Mantle common pad 1 pad of slot 1        alone              │  nodes     /dev/input/event9 js1
//!   – · Quay pad                   Quay pad, of slot 1  not listed         │  open by   lagoon (511), for 3 min
//!  programs that have any of it open                                       │
//!     lagoon (511)                 pad of slot 1                           │
//! ```

use super::{Ui, traces};
use crate::rows::Click;
use crate::widths::middle;
use mantle_talk::{GameView, Holder, ListedDevice, ProgramRow, RowStanding, SightView, Verdict, as_sentence};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// From this width on, details stand beside the list.
const BESIDE: u16 = 110;
/// Least lines for the details beside the list, and for the traces below.
const CHOSEN: u16 = 12;
const LEAST_TRACES: u16 = 6;
/// Lines for the details below the list.
const BELOW: u16 = 6;

pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let mut y = area.y;
    if let Some(slot) = ui.slot_detail() {
        let kind = if slot.kind.is_shaped() { "joystick" } else { "controller" };
        let choose = format!("choose {kind} {} in the game; the system calls it {}.", slot.game_number, slot.pad_node);
        // Faults stand above already.
        let lines = match (&slot.verdict, slot.pad_node.is_empty()) {
            (_, true) => Vec::new(),
            (Verdict::Alone(_), false) => {
                vec![(ui.theme.live, format!("A game sees only the pad of {}: {choose}", slot.number))]
            }
            (_, false) => vec![(ui.theme.quiet, as_sentence(choose.trim_end_matches('.')))],
        };
        for (style, text) in lines {
            let at = Rect { y, height: area.bottom().saturating_sub(y).min(2), ..area };
            y += ui.wrapped(at, style, &text);
        }
    }
    let Some(view) = ui.snapshot.sight.as_deref() else {
        ui.text(area.x, y + 1, area.width, ui.theme.quiet, "Checking what a game would see.");
        return;
    };
    if let Some(game) = &view.game {
        y += played(ui, Rect { y, height: area.bottom().saturating_sub(y), ..area }, game);
    }
    y += 1;
    let mut height = area.bottom().saturating_sub(y);
    // On a high screen the traces stand below the list.
    let needed = (lines_of(view) as u16 + 5).max(CHOSEN);
    if area.width >= BESIDE && ui.slot_detail().is_some() && height > needed + LEAST_TRACES {
        traces::both(ui, Rect { y: y + needed, height: height - needed, ..area });
        height = needed;
    }
    let (list, chosen) = match area.width >= BESIDE {
        true => {
            let right = (area.width / 3).clamp(40, 60);
            let list = Rect { y, height, width: area.width - right - 3, ..area };
            (list, Rect { x: list.right() + 3, width: right, y, height })
        }
        false => {
            let below = if height > BELOW + 4 { BELOW } else { 0 };
            let list = Rect { y, height: height - below, ..area };
            (list, Rect { y: list.bottom() + 1, height: below.saturating_sub(1), ..area })
        }
    };
    let at = ui.listed.min(lines_of(view).saturating_sub(1));
    draw_list(ui, list, view, at);
    match view.rows.get(at) {
        Some(row) => row_closely(ui, chosen, row, view.now),
        None => {
            if let Some(program) = view.programs.get(at - view.rows.len()) {
                program_closely(ui, chosen, program, view.now);
            }
        }
    }
}

/// The rule that applies to the running game, and what it changed.
fn played(ui: &mut Ui<'_>, area: Rect, game: &GameView) -> u16 {
    let slots = if game.slots.is_empty() { String::new() } else { format!(": {}", game.slots.join("; ")) };
    let text = as_sentence(&format!("{}{slots}", game.words));
    let mut lines = ui.wrapped(Rect { height: area.height.min(3), ..area }, ui.theme.live, &text);
    if !game.note.is_empty() {
        let at = Rect { y: area.y + lines, height: area.height.saturating_sub(lines).min(2), ..area };
        lines += ui.wrapped(at, Style::new(), &format!("Your note: {}", game.note));
    }
    lines
}

/// Rows that can be chosen.
pub fn lines_of(view: &SightView) -> usize {
    view.rows.len() + view.programs.len()
}

fn draw_list(ui: &mut Ui<'_>, area: Rect, view: &SightView, chosen: usize) {
    // The state is never cut; names get the remaining width.
    let wide = area.width >= 84;
    let whose = if wide { area.width / 4 } else { 20 };
    let name = if wide { area.width * 2 / 5 } else { area.width.saturating_sub(6 + whose + 27) };
    let columns = [area.x, area.x + 6, area.x + 6 + name, area.x + 6 + name + whose];
    let rest = area.right().saturating_sub(columns[3]);
    let head = ["no.", "what a game finds, in its order", "whose it is", "how it stands"];
    let widths = [5, name - 1, whose - 1, rest];
    for ((x, width), text) in columns.iter().zip(widths).zip(head) {
        ui.text(*x, area.y, width, ui.theme.quiet, text);
    }
    // The heading of the programs is a line of the list, too; the chosen row stays visible.
    let programs_at = view.rows.len();
    let line_of = |at: usize| if at < programs_at { at } else { at + 2 };
    let room = usize::from(area.height.saturating_sub(1));
    let first = line_of(chosen).saturating_sub(room.saturating_sub(2));
    let place = |line: usize| (line >= first && line < first + room).then(|| area.y + 1 + (line - first) as u16);
    for (at, row) in view.rows.iter().enumerate() {
        let Some(y) = place(at) else { continue };
        let style = if at == chosen { ui.theme.chosen } else { plainly(ui, row) };
        let number = row.number.map_or_else(|| "  –".to_owned(), |number| format!("{number:>3}"));
        ui.text(columns[0], y, 3, style, &number);
        let (sign_style, sign) = sign(ui, row.standing);
        ui.text(columns[0] + 4, y, 1, sign_style, sign);
        let name = middle(&row.name, usize::from(widths[1])).into_owned();
        let whose = middle(&row.whose(), usize::from(widths[2])).into_owned();
        for ((x, width), text) in columns[1..].iter().zip(&widths[1..]).zip([&name, &whose, &stands(row)]) {
            let style = if *x == columns[3] && row.standing == RowStanding::Wrong { ui.theme.doubt } else { style };
            ui.text(*x, y, *width, style, text);
        }
        ui.clicks.push((Rect { y, height: 1, ..area }, Click::Listed(at)));
    }
    if let Some(y) = place(programs_at + 1) {
        let closed = match view.closed {
            0 => String::new(),
            closed => format!("; {closed} processes of other accounts cannot be inspected"),
        };
        let head = if view.programs.is_empty() {
            "no program has any of these open"
        } else {
            "programs that have any of these open; choose one to make a rule for it"
        };
        ui.text(area.x + 2, y, area.width - 2, ui.theme.quiet, &format!("{head}{closed}"));
    }
    for (at, program) in view.programs.iter().enumerate() {
        let Some(y) = place(line_of(programs_at + at)) else { continue };
        let style = if programs_at + at == chosen { ui.theme.chosen } else { Style::new() };
        if !program.words.is_empty() {
            ui.text(columns[0] + 4, y, 1, ui.theme.doubt, "▲");
        }
        ui.text(columns[1], y, name - 1, style, &format!("{} ({})", program.name, program.pid));
        let opens = if program.opens.is_empty() { "nothing of it".to_owned() } else { program.opens.join(", ") };
        ui.text(columns[2], y, whose - 1, style, &opens);
        let doubt = if program.words.is_empty() { style } else { ui.theme.doubt };
        let words = if program.words.is_empty() { runs(program.since, view.now) } else { program.words.clone() };
        ui.text(columns[3], y, rest, doubt, &words);
        ui.clicks.push((Rect { y, height: 1, ..area }, Click::Listed(programs_at + at)));
    }
}

fn plainly(ui: &Ui<'_>, row: &ListedDevice) -> Style {
    if row.number.is_some() || row.slot().is_some() { Style::new() } else { ui.theme.quiet }
}

fn sign(ui: &Ui<'_>, standing: RowStanding) -> (Style, &'static str) {
    match standing {
        RowStanding::Well => (ui.theme.live, "✓"),
        RowStanding::Plain => (ui.theme.quiet, "·"),
        RowStanding::Wrong => (ui.theme.doubt, "▲"),
    }
}

/// A row's state; for devices that nobody plays with, what they are.
fn stands(row: &ListedDevice) -> String {
    if row.words.is_empty() { row.takes.words().into() } else { row.words.clone() }
}

fn row_closely(ui: &mut Ui<'_>, area: Rect, row: &ListedDevice, now: Option<u64>) {
    let seen = row;
    let (vendor, product) = seen.ids;
    let differs = seen.differs.map_or(String::new(), |other| format!("; by some libraries for {}", other.words()));
    let open = match seen.holders.as_slice() {
        [] => "only this program, as far as can be seen".to_owned(),
        all => all.iter().map(|holder| holder_words(holder, now)).collect::<Vec<_>>().join(", "),
    };
    let opens = row.refused().map_or_else(|| "yes".to_owned(), |why| format!("no ({why})"));
    let mut pairs = vec![
        ("name", format!("{} · {vendor:04x}:{product:04x}", seen.name)),
        ("nodes", seen.nodes.join(" ")),
        ("taken for", format!("{}{differs}", seen.takes.words())),
        ("can open", opens),
    ];
    pairs.push(("to games", super::explained(row.cover())));
    if let Some(held) = row.held_by() {
        pairs.push(("held by", held));
    }
    pairs.push(("open by", open));
    closely(ui, area, &pairs, row.standing == RowStanding::Wrong, &[&row.words, &row.mend]);
}

fn program_closely(ui: &mut Ui<'_>, area: Rect, program: &ProgramRow, now: Option<u64>) {
    let nothing = "none of these".to_owned();
    let mut pairs = vec![
        ("program", format!("{} · process {}", program.name, program.pid)),
        ("runs", runs(program.since, now)),
        ("has open", if program.opens.is_empty() { nothing } else { program.opens.join(", ") }),
        ("nodes", program.nodes.join(" ")),
    ];
    if program.makes {
        pairs.push(("makes", "input devices of its own".into()));
    }
    if let Some(shows) = program.shut_in {
        pairs.push(("its /dev", format!("is its own, and shows {shows} of what a game could play with")));
    }
    closely(ui, area, &pairs, !program.words.is_empty(), &[&program.words]);
}

/// Labels and values in as many lines as needed, then remarks and remedies.
fn closely(ui: &mut Ui<'_>, area: Rect, pairs: &[(&str, String)], wrong: bool, words: &[&String]) {
    const LABEL: u16 = 10;
    let mut y = area.y;
    if wrong {
        // Faults first: there may be no room below.
        for (text, style) in words.iter().filter(|text| !text.is_empty()).zip([ui.theme.doubt, Style::new()]) {
            let at = Rect { y, height: area.bottom().saturating_sub(y), ..area };
            if at.height > 0 {
                y += ui.wrapped(at, style, &as_sentence(text));
            }
        }
    }
    for (label, value) in pairs.iter().filter(|(_, value)| !value.is_empty()) {
        let at = Rect {
            x: area.x + LABEL,
            y,
            width: area.width.saturating_sub(LABEL),
            height: area.bottom().saturating_sub(y),
        };
        if at.height == 0 {
            return;
        }
        ui.text(area.x, y, LABEL - 1, ui.theme.quiet, label);
        y += ui.wrapped(at, Style::new(), value);
    }
}

fn holder_words(holder: &Holder, now: Option<u64>) -> String {
    let runs = runs(holder.since, now);
    if runs.is_empty() { holder.name.clone() } else { format!("{}, {runs}", holder.name) }
}

/// How long a program has been running.
fn runs(since: Option<u64>, now: Option<u64>) -> String {
    let Some(seconds) = since.zip(now).map(|(since, now)| now.saturating_sub(since)) else { return String::new() };
    match seconds {
        0..60 => format!("for {seconds} s"),
        60..7_200 => format!("for {} min", seconds / 60),
        _ => format!("for {} h", seconds / 3_600),
    }
}
