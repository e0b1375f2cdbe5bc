//! Choosing a slot: to place a device, to tie it to a player, or to move a player; and with which kind and profile.

use super::sheet;
use crate::keys::{Intent, Key, SLOTS, key, letter};
use crate::panel::Ui;
use crate::rows::Click;
use mantle_talk::{
    Command, DeviceId, KindStep, PadKind, SlotNumber, SlotRow, Snapshot, StageState, TEMPLATES, Template,
};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// What the slot is chosen for.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Chosen {
    /// A device to place.
    Device {
        /// The device.
        id: DeviceId,
        /// Its part.
        part: u8,
        /// Its name.
        name: String,
        /// Whether it has a slot already.
        sits: bool,
    },
    /// A player to move.
    Slot(SlotNumber),
}

/// An unfinished choice of a slot.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Choose {
    /// What it is for.
    pub what: Chosen,
    /// The slot chosen so far.
    pub slot: SlotNumber,
    /// Index of the profile chosen so far.
    pub profile: usize,
    /// Whether the device joins the player who is there.
    pub tie: bool,
    /// Whether the slot is only lent, because its own devices are away.
    pub lends: bool,
    /// The kind of pad chosen so far.
    pub kind: PadKind,
    /// The kinds that the device allows, each with its axes and buttons.
    pub kinds: Vec<PadKind>,
}

impl Choose {
    /// Begins with this slot.
    pub fn new(what: Chosen, slot: SlotNumber) -> Self {
        Self { what, slot, profile: 0, tie: false, lends: false, kind: PadKind::default(), kinds: Vec::new() }
    }

    /// Steps the slot, the kind or the profile.
    pub fn step(&mut self, intent: Intent, snapshot: &Snapshot) {
        let profiles = snapshot.profiles.len();
        let at = self.slot.index();
        match intent {
            Intent::Up => self.slot = SlotNumber::from_index(at.saturating_sub(1)).unwrap_or(self.slot),
            Intent::Down => self.slot = SlotNumber::from_index(at + 1).unwrap_or(self.slot),
            Intent::Slot(number) => self.slot = SlotNumber::new(number).unwrap_or(self.slot),
            Intent::Kind(key) => self.kind = self.kind.stepped(key, &self.kinds),
            // After the existing profiles come new ones by purpose; the list wraps around.
            Intent::Left | Intent::Right => {
                let all = (profiles + TEMPLATES.len()).saturating_sub(1).max(1);
                let by = if intent == Intent::Left { all - 1 } else { 1 };
                self.profile = (self.profile + by) % all;
                self.follow(snapshot);
            }
            _ => {}
        }
        // An unplaced device can only join a slot that is taken.
        if let Chosen::Device { sits: false, .. } = self.what {
            self.tie = snapshot.slots.iter().any(|row| row.number == self.slot);
        }
        self.see_who_is_away(snapshot);
    }

    /// Chooses the profile with this name in the list: an existing one, or a new one for a purpose.
    pub fn take_profile(&mut self, name: &str, snapshot: &Snapshot) {
        let there = snapshot.profiles.iter().position(|own| own == name);
        let new = || {
            let like = name.strip_prefix("a new one for ")?;
            let at = TEMPLATES.iter().position(|template| template.name == like)?;
            Some(snapshot.profiles.len() + at.checked_sub(1)?)
        };
        if let Some(at) = there.or_else(new) {
            self.profile = at;
            self.follow(snapshot);
        }
    }

    /// A slot whose devices are all away is lent, not shared.
    pub fn see_who_is_away(&mut self, snapshot: &Snapshot) {
        let away = |row: &SlotRow| row.number == self.slot && row.stages[0] == StageState::Kept;
        self.lends = self.tie && snapshot.slots.iter().any(away);
    }

    /// The template for the new profile, if one is chosen.
    pub fn template(&self, profiles: usize) -> Option<&'static Template> {
        // The list of profiles includes the plain one.
        let at = self.profile.checked_sub(profiles)? + 1;
        TEMPLATES.get(at)
    }

    /// The kinds of pad that the chosen profile is for; empty if any will do.
    fn wanted_kinds<'a>(&self, snapshot: &'a Snapshot) -> Vec<&'a str> {
        match self.template(snapshot.profiles.len()) {
            Some(template) => vec![template.kind.name()],
            None => snapshot.profile_kinds.get(self.profile).into_iter().flatten().map(String::as_str).collect(),
        }
    }

    /// A profile made for another kind of pad brings that kind along.
    fn follow(&mut self, snapshot: &Snapshot) {
        let kinds = self.wanted_kinds(snapshot);
        if kinds.is_empty() || kinds.iter().any(|name| self.kind.answers_to(name)) {
            return;
        }
        let of = |kind: &&PadKind| kinds.iter().any(|name| kind.answers_to(name));
        let Some(own) = self.kinds.iter().find(of).cloned() else { return };
        // As many controls as the device has, plus the axes that the template needs.
        self.kind = match self.template(snapshot.profiles.len()) {
            Some(template) => own.with_axes(&template.kind),
            None => own,
        };
    }

    /// The command saying that the device is the slot's own; none if the slot is free or a player is moved.
    pub fn same(&self) -> Option<Command> {
        match self.what {
            Chosen::Device { id, part, .. } if self.tie => {
                Some(Command::SameDevice { device: id, part, slot: self.slot })
            }
            _ => None,
        }
    }

    /// The command that carries the choice out.
    pub fn command(&self, profiles: &[String]) -> Command {
        match &self.what {
            Chosen::Slot(from) => Command::Move { from: *from, to: self.slot },
            Chosen::Device { id, part, .. } if self.lends => {
                Command::Lend { device: *id, part: *part, slot: self.slot }
            }
            Chosen::Device { id, part, .. } if self.tie => Command::Tie { device: *id, part: *part, slot: self.slot },
            Chosen::Device { id, part, .. } => Command::Place {
                device: *id,
                part: *part,
                slot: self.slot,
                kind: self.kind.clone(),
                profile: profiles.get(self.profile).cloned().unwrap_or_else(|| "plain".into()),
            },
        }
    }
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    let mut keys = vec![
        key(KeyCode::Up, "↑", Intent::Up, "slot above", false),
        key(KeyCode::Down, "↓", Intent::Down, "slot below", false),
        key(KeyCode::Left, "←", Intent::Left, "previous profile", false),
        key(KeyCode::Right, "→", Intent::Right, "profile after", false),
        letter('k', "k", Intent::Kind(KindStep::Next), "kind of pad", true),
        letter('+', "+", Intent::Kind(KindStep::More), "one button more (flight stick)", false),
        letter('-', "-", Intent::Kind(KindStep::Fewer), "one button less", false),
        letter('h', "h", Intent::Kind(KindStep::Hats), "hats", false),
        letter('x', "x", Intent::Kind(KindStep::Axes), "axes", false),
        letter('p', "p", Intent::FindInList, "profiles", true),
        letter('=', "=", Intent::SameDevice, "same device", true),
        key(KeyCode::Enter, "Enter", Intent::Open, "do it", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "cancel", true),
    ];
    keys.extend(SLOTS);
    keys
}

/// Draws the chooser.
pub fn draw(ui: &mut Ui<'_>, area: Rect, choose: &Choose) {
    let title = match &choose.what {
        Chosen::Device { name, .. } if choose.lends => format!("Lend a slot to {name}"),
        Chosen::Device { name, .. } if choose.tie => format!("Tie {name} to"),
        Chosen::Device { name, .. } => format!("Place {name}"),
        Chosen::Slot(from) => format!("Move the player in {from}"),
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
        // A second click confirms.
        let intent = if chosen { Intent::Open } else { Intent::Slot(slot.number()) };
        ui.clicks.push((area, Click::Key(intent)));
    }
    let who = ui.snapshot.slots.iter().find(|row| row.number == choose.slot);
    if choose.tie {
        let words = match who {
            Some(row) if choose.lends => format!("It plays for {} while that is away.", row.names.join(" + ")),
            Some(row) => format!("Both become one player, with the profile {}.", row.profile),
            None => "That slot is empty: choose one that is in use.".to_owned(),
        };
        ui.text(at.x + 2, at.y + 10, at.width, Style::new(), &words);
        let then = if choose.lends {
            "It gives the slot back once nothing is held on it."
        } else {
            "Its pad combines all of its devices."
        };
        ui.text(at.x + 2, at.y + 11, at.width, ui.theme.quiet, then);
        if let Some(row) = who {
            let end = ui.text(at.x + 2, at.y + 13, 2, ui.theme.key, "=");
            let words = format!("It is {} itself:", row.names.join(" or "));
            ui.text(end + 1, at.y + 13, at.width.saturating_sub(4), ui.theme.quiet, &words);
            ui.text(
                end + 1,
                at.y + 14,
                at.width.saturating_sub(4),
                ui.theme.quiet,
                "in another mode, or over another link.",
            );
        }
    } else if let Chosen::Device { .. } = choose.what {
        let beside = at.width.saturating_sub(12);
        super::kind::lines(ui, Rect { x: at.x + 2, y: at.y + 9, ..at }, &choose.kind);
        ui.text(at.x + 2, at.y + 12, 9, ui.theme.quiet, "profile");
        let name = match choose.template(ui.snapshot.profiles.len()) {
            Some(like) => format!("a new one for {}", like.name),
            None => ui.snapshot.profiles.get(choose.profile).map_or("plain", String::as_str).to_owned(),
        };
        ui.text(at.x + 12, at.y + 12, beside, Style::new(), &format!("← {name} →"));
        let line = |y: u16| Rect { x: at.x, y, width: at.width, height: 1 };
        ui.clicks.push((line(at.y + 9), Click::Key(Intent::Kind(KindStep::Next))));
        ui.clicks.push((line(at.y + 12), Click::Key(Intent::Right)));
        let kinds = choose.wanted_kinds(ui.snapshot);
        let other = format!("That profile is for {}: Bindings lists what does not fit.", kinds.join(" and "));
        let words = match who.filter(|row| row.kind != choose.kind) {
            _ if !kinds.is_empty() && !kinds.contains(&choose.kind.name()) => other.as_str(),
            Some(_) => "Games see its pad disappear and another appear.",
            None => "It gets default bindings; try them in Pad.",
        };
        ui.text(at.x + 2, at.y + 14, at.width, ui.theme.quiet, words);
    } else {
        ui.text(at.x + 2, at.y + 10, at.width, ui.theme.quiet, "The player there swaps with it.");
    }
}
