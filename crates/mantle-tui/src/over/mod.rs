//! What lies over a view for a while: choosing a slot, the question before leaving, the keys, the journal.

mod kind;
mod typing;

pub use typing::{TypedFor, Typing, draw as typing};

use crate::keys::{Intent, Key};
use crate::panel::Ui;
use crate::rows::Click;
use kind::shape_words;
use mantle_talk::{Command, DeviceId, FlightShape, MemberId, PadKind, SlotNumber, Snapshot, TEMPLATES, Target};
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::widgets::{Clear, Widget};

/// What lies over the screen.
#[derive(Clone, Debug)]
pub(crate) enum Over {
    Choose(Choose),
    Members(Members),
    Typing(Typing),
    Swap(Swap),
    Question,
    Help,
}

/// A source that plays another target already.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Swap {
    /// The slot.
    pub slot: SlotNumber,
    /// What it shall play.
    pub target: Target,
    /// What it plays now.
    pub other: Target,
    /// The source, as a profile names it.
    pub source: String,
    /// Whether its full end is rest.
    pub inverted: bool,
    /// What plays the target now; none if nothing does.
    pub old: Option<String>,
}

/// What a slot is chosen for.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Chosen {
    /// A device to be placed.
    Device {
        /// The device.
        id: DeviceId,
        /// Its part.
        part: u8,
        /// Its name.
        name: String,
        /// Whether it sits somewhere already.
        sits: bool,
    },
    /// A slot's player to be moved.
    Slot(SlotNumber),
}

/// Placing or moving, half done.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Choose {
    /// What for.
    pub what: Chosen,
    /// The slot so far.
    pub slot: SlotNumber,
    /// The profile so far, by its place in the list.
    pub profile: usize,
    /// Whether the device is to play along with who sits there.
    pub tie: bool,
    /// The kind of pad so far.
    pub kind: PadKind,
    /// The flight stick that has room for everything that the device has.
    pub flight: FlightShape,
}

/// One of a player's devices, half chosen.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Members {
    /// The slot.
    pub slot: SlotNumber,
    /// Which of its devices.
    pub chosen: MemberId,
}

impl Members {
    /// The command that parts it from the others.
    pub fn command(&self) -> Command {
        Command::Untie { slot: self.slot, member: self.chosen, back: None }
    }
}

impl Choose {
    /// Begins with this slot.
    pub fn new(what: Chosen, slot: SlotNumber) -> Self {
        Self { what, slot, profile: 0, tie: false, kind: PadKind::Common, flight: FlightShape::USUAL }
    }

    /// Another slot, kind or profile.
    pub fn handle_intent(&mut self, intent: Intent, snapshot: &Snapshot) {
        let profiles = snapshot.profiles.len();
        let at = self.slot.index();
        match intent {
            Intent::Up => self.slot = SlotNumber::from_index(at.saturating_sub(1)).unwrap_or(self.slot),
            Intent::Down => self.slot = SlotNumber::from_index(at + 1).unwrap_or(self.slot),
            Intent::Slot(number) => self.slot = SlotNumber::new(number).unwrap_or(self.slot),
            Intent::Kind(key) => self.handle_kind(key),
            Intent::Left => self.profile = self.profile.saturating_sub(1),
            // Behind the profiles that there are stand new ones, by purpose.
            Intent::Right => self.profile = (self.profile + 1).min(profiles + TEMPLATES.len() - 2),
            _ => {}
        }
        // Where somebody sits, one that sits nowhere can only play along.
        if let Chosen::Device { sits: false, .. } = self.what {
            self.tie = snapshot.slots.iter().any(|row| row.number == self.slot);
        }
    }

    /// The template that a new profile is made from, if one is chosen.
    pub fn template(&self, profiles: usize) -> Option<&'static str> {
        // The plain one is among the profiles.
        let at = self.profile.checked_sub(profiles)? + 1;
        TEMPLATES.get(at).map(|(name, _)| *name)
    }

    /// The command that does it.
    pub fn command(&self, profiles: &[String]) -> Command {
        match &self.what {
            Chosen::Slot(from) => Command::Move { from: *from, to: self.slot },
            Chosen::Device { id, part, .. } if self.tie => Command::Tie { device: *id, part: *part, slot: self.slot },
            Chosen::Device { id, part, .. } => Command::Place {
                device: *id,
                part: *part,
                slot: self.slot,
                kind: self.kind,
                profile: profiles.get(self.profile).cloned().unwrap_or_else(|| "plain".into()),
            },
        }
    }
}

/// Clears a place in the middle and puts a heading on it; returns what is left of it.
fn sheet(ui: &mut Ui<'_>, area: Rect, width: u16, height: u16, title: &str) -> Rect {
    let width = width.min(area.width - 4);
    let height = height.min(area.height);
    let at = Rect { x: area.x + (area.width - width) / 2, y: area.y + (area.height - height) / 3, width, height };
    let margin = Rect { x: at.x - 2, y: at.y.saturating_sub(1).max(area.y), width: width + 4, height: height + 2 };
    Clear.render(margin.intersection(area), ui.buffer);
    for y in [at.y, at.bottom() - 1] {
        let text = "─".repeat(usize::from(width));
        ui.text(at.x, y, width, ui.theme.line, &text);
    }
    ui.text(at.x + 2, at.y, width - 4, ui.theme.strong, &format!(" {title} "));
    Rect { x: at.x + 2, y: at.y + 2, width: width - 4, height: height.saturating_sub(3) }
}

/// Draws the choice of a slot.
pub fn choose(ui: &mut Ui<'_>, area: Rect, choose: &Choose) {
    let title = match &choose.what {
        Chosen::Device { name, .. } if choose.tie => format!("{name} plays along with"),
        Chosen::Device { name, .. } => format!("Place {name}"),
        Chosen::Slot(from) => format!("Move the player of {from}"),
    };
    let at = sheet(ui, area, 60, 18, &title);
    for (line, slot) in SlotNumber::all().enumerate() {
        let row = ui.snapshot.slots.iter().find(|row| row.number == slot);
        let who = row.map_or_else(|| "free".to_owned(), |row| row.names.join(" + "));
        let chosen = slot == choose.slot;
        let y = at.y + line as u16;
        let style = if chosen { ui.theme.chosen } else { Style::new() };
        ui.text(at.x, y, 2, ui.theme.key, if chosen { "▸" } else { " " });
        ui.text(at.x + 2, y, 8, style, &format!("Slot {}", slot.number()));
        ui.text(at.x + 12, y, at.width.saturating_sub(12), ui.theme.quiet, &who);
        let area = Rect { x: at.x, y, width: at.width, height: 1 };
        ui.clicks.push((area, Click::Key(Intent::Slot(slot.number()))));
    }
    let who = ui.snapshot.slots.iter().find(|row| row.number == choose.slot);
    if choose.tie {
        let words = match who {
            Some(row) => format!("One player with both, by the profile {}.", row.profile),
            None => "Nobody is there: choose a slot that somebody plays.".to_owned(),
        };
        ui.text(at.x + 2, at.y + 10, at.width, Style::new(), &words);
        ui.text(at.x + 2, at.y + 12, at.width, ui.theme.quiet, "Its pad shows what all of its devices give together.");
    } else if let Chosen::Device { .. } = choose.what {
        let beside = at.width.saturating_sub(12);
        ui.text(at.x + 2, at.y + 9, 9, ui.theme.quiet, "kind");
        ui.text(at.x + 12, at.y + 9, beside, Style::new(), choose.kind.name());
        ui.text(at.x + 12, at.y + 10, beside, ui.theme.quiet, &shape_words(choose.kind));
        if let PadKind::Flight(_) = choose.kind {
            ui.text(at.x + 12, at.y + 11, beside, ui.theme.quiet, "x other axes   + - buttons   h hats");
        }
        ui.text(at.x + 2, at.y + 12, 9, ui.theme.quiet, "profile");
        let name = match choose.template(ui.snapshot.profiles.len()) {
            Some(like) => format!("a new one for {like}"),
            None => ui.snapshot.profiles.get(choose.profile).map_or("plain", String::as_str).to_owned(),
        };
        ui.text(at.x + 12, at.y + 12, beside, Style::new(), &format!("← {name} →"));
        let words = match who.filter(|row| row.kind != choose.kind) {
            Some(_) => "Games see its pad go, and another one come.",
            None => "What can be guessed is bound by itself; try it on Pad.",
        };
        ui.text(at.x + 2, at.y + 14, at.width, ui.theme.quiet, words);
    } else {
        ui.text(at.x + 2, at.y + 10, at.width, ui.theme.quiet, "Who sits there already changes places with it.");
    }
}

/// Draws the choice of one of a player's devices.
pub fn members(ui: &mut Ui<'_>, area: Rect, members: &Members) {
    let row = ui.snapshot.slots.iter().find(|row| row.number == members.slot);
    let names = row.map_or(&[][..], |row| &row.names);
    let at = sheet(ui, area, 60, names.len() as u16 + 6, &format!("Who plays as {}", members.slot));
    for (line, name) in names.iter().enumerate() {
        let id = row.and_then(|row| row.members.get(line));
        let (y, chosen) = (at.y + line as u16, id == Some(&members.chosen));
        ui.text(at.x, y, 1, ui.theme.key, if chosen { "▸" } else { " " });
        ui.text(at.x + 2, y, at.width - 2, if chosen { ui.theme.chosen } else { Style::new() }, name);
    }
    let y = at.y + names.len() as u16 + 1;
    ui.text(at.x, y, at.width, ui.theme.quiet, "The one that is parted has no slot then; p places it.");
}

/// Draws what becomes of a target whose source another one is to have.
pub fn swap(ui: &mut Ui<'_>, area: Rect, swap: &Swap) {
    let Swap { target, other, source, old, .. } = swap;
    let (target, other) = (target.name(), other.name());
    let at = sheet(ui, area, 70, 9, &format!("{source} plays {other} already"));
    let old = old.as_deref().unwrap_or("nothing");
    let lines = [
        ('m', format!("{target} gets {source}, and nothing plays {other}")),
        ('s', format!("{target} gets {source}, and {other} gets {old}")),
        ('b', format!("{source} plays both")),
    ];
    for (line, (letter, text)) in lines.iter().enumerate() {
        ui.text(at.x, at.y + line as u16, 1, ui.theme.key, &letter.to_string());
        ui.text(at.x + 3, at.y + line as u16, at.width - 3, Style::new(), text);
    }
    ui.text(at.x, at.y + 4, at.width, ui.theme.quiet, "Whatever you choose, u takes it back.");
}

/// Draws the question before leaving.
pub fn question(ui: &mut Ui<'_>, area: Rect) {
    let at = sheet(ui, area, 64, 8, "Leave?");
    let live = ui.snapshot.slots.iter().filter(|slot| slot.games[0] != "no pad").count();
    let words =
        if live == 1 { "1 pad is live and will go".to_owned() } else { format!("{live} pads are live and will go") };
    ui.text(at.x, at.y, at.width, Style::new(), &format!("{words}; games lose their players."));
    ui.text(at.x, at.y + 1, at.width, ui.theme.quiet, "Slots are remembered for the next time.");
}

/// Draws the keys of a place that are of use now.
pub fn help(ui: &mut Ui<'_>, area: Rect, keys: &[Key]) {
    let listed: Vec<_> = keys.iter().filter(|key| !matches!(key.intent, Intent::Slot(n) if n > 1)).collect();
    let rows = (listed.len() as u16).div_ceil(2);
    let at = sheet(ui, area, 68, rows + 10, "Keys");
    // Where there is no room for all, the signs go first.
    let shown = rows.min(at.height);
    for (index, key) in listed.iter().enumerate() {
        let (column, row) = (index as u16 / rows.max(1), index as u16 % rows.max(1));
        if row >= shown {
            continue;
        }
        let (x, y) = (at.x + column * 34, at.y + row);
        let (label, words) = match key.intent {
            Intent::Slot(_) => ("1 to 8", "that slot"),
            _ => (key.label, key.words),
        };
        ui.text(x, y, 9, ui.theme.key, label);
        ui.text(x + 10, y, 23, Style::new(), words);
    }
    let signs = [
        "",
        "● passes   ○ untried   ✕ stops   ▲ look at it   ◌ kept for somebody",
        "a heavy line: something passes just now",
        "",
        "Up is negative on sticks in every number, as games count it.",
        "What can be clicked may be clicked; Ctrl-C leaves at once.",
    ];
    if rows + signs.len() as u16 <= at.height {
        for (line, text) in signs.iter().enumerate() {
            ui.text(at.x, at.y + rows + line as u16, at.width, ui.theme.quiet, text);
        }
    }
}

/// Draws the journal, `back` entries from the newest.
pub fn journal(ui: &mut Ui<'_>, area: Rect, back: usize) {
    ui.text(area.x + 1, area.y, 40, ui.theme.strong, "Journal");
    ui.text(
        area.x + 11,
        area.y,
        area.width.saturating_sub(12),
        ui.theme.quiet,
        "what happened, newest last; seconds since the start",
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
