//! Carries out the intents of the Profiles view.

use crate::app::App;
use crate::chosen_profile::ChosenProfile;
use crate::intents::ProfilesKey;
use crate::keys::Intent;
use crate::mode::TypedFor;
use crate::rows::{Row, Then, View};
use mantle_talk::{Command, ProfileStoreAct, SlotNumber};

impl App {
    /// Opens the view with the slot's profile chosen.
    pub(crate) fn open_profiles(&mut self) {
        let own = self.own_profile();
        let back = if self.view == View::Profiles { View::Board } else { self.view };
        self.shelf = ChosenProfile { chosen: own.clone(), against: own, back, ..ChosenProfile::default() };
        self.keep_profile();
        self.view = View::Profiles;
    }

    /// The profile of the chosen slot.
    fn own_profile(&self) -> String {
        self.slot_row().map_or_else(|| "plain".to_owned(), |row| row.profile.clone())
    }

    /// The chosen slot.
    pub(crate) fn playing_slot(&self) -> Option<SlotNumber> {
        match self.row {
            Some(Row::Slot(slot)) => Some(slot),
            _ => None,
        }
    }

    /// Indexes of the chosen profile and of the one it is compared with.
    pub(crate) fn shelf_places(&self) -> (usize, usize) {
        let place = |name: &str| self.snapshot.profiles.iter().position(|own| own == name).unwrap_or(0);
        let (chosen, against) = (place(&self.shelf.chosen), place(&self.shelf.against));
        // A profile compared with itself shows nothing, so it is compared with the plain one.
        (chosen, if chosen == against { place("plain") } else { against })
    }

    /// Whether the chosen profile is a file.
    pub(crate) fn is_profile_a_file(&self) -> bool {
        let row =
            self.snapshot.shelf.as_ref().and_then(|shelf| shelf.rows.iter().find(|row| row.name == self.shelf.chosen));
        row.is_some_and(|row| !row.file.is_empty())
    }

    pub(crate) fn choose_profile(&mut self, at: usize) {
        if let Some(name) = self.snapshot.profiles.get(at) {
            self.shelf.chosen.clone_from(name);
            self.shelf.scroll = 0;
        }
    }

    pub(crate) fn handle_profiles(&mut self, intent: Intent) {
        let (at, _) = self.shelf_places();
        match intent {
            Intent::Up => self.choose_profile(at.saturating_sub(1)),
            Intent::Down => self.choose_profile(at + 1),
            Intent::Back => self.view = self.shelf.back,
            Intent::Profiles(wanted) => self.handle_shelf(wanted),
            Intent::FindInList => self.ask_line(TypedFor::FindProfile),
            Intent::Orders | Intent::Help | Intent::Undo | Intent::Redo | Intent::Quit | Intent::Slot(_) => {
                self.handle_main(intent)
            }
            _ => {}
        }
    }

    fn handle_shelf(&mut self, wanted: ProfilesKey) {
        let name = self.shelf.chosen.clone();
        match wanted {
            ProfilesKey::Open => {}
            ProfilesKey::PlayBy => match self.playing_slot() {
                Some(slot) => self.command(Command::PlayBy { slot, profile: name }, Then::Nothing),
                None => self.message = Some("no slot is chosen: 1 to 8".into()),
            },
            ProfilesKey::New => match self.playing_slot() {
                Some(slot) => self.ask_line(TypedFor::NewProfile(slot)),
                None => self.message = Some("no slot is chosen: 1 to 8".into()),
            },
            ProfilesKey::Copy => self.shelve(ProfileStoreAct::Copy(name)),
            ProfilesKey::Delete => self.shelve(ProfileStoreAct::Delete(name)),
            ProfilesKey::Rename => self.ask_line_with(TypedFor::RenameProfile, &name),
            ProfilesKey::Import => self.ask_line(TypedFor::ImportProfile),
            ProfilesKey::Export => self.ask_line(TypedFor::ExportProfile),
            ProfilesKey::Compare => {
                self.message = Some(format!("other profiles are now compared with {name}").into());
                self.shelf.against = name;
            }
            ProfilesKey::Later => {
                let count = self.snapshot.shelf.as_ref().map_or(0, |shelf| shelf.differences.len());
                self.shelf.scroll = (self.shelf.scroll + 5).min(count.saturating_sub(1));
            }
            ProfilesKey::Earlier => self.shelf.scroll = self.shelf.scroll.saturating_sub(5),
        }
    }

    pub(crate) fn shelve(&mut self, act: ProfileStoreAct) {
        let makes =
            matches!(act, ProfileStoreAct::Copy(_) | ProfileStoreAct::Rename { .. } | ProfileStoreAct::TakeIn(_));
        self.shelf.known = makes.then(|| self.snapshot.profiles.clone());
        self.command(Command::ProfileStore(act), Then::Nothing);
    }

    /// Makes a new profile for a purpose, and has the slot use it.
    pub(crate) fn begin_profile(&mut self, slot: SlotNumber, purpose: String) {
        self.shelf.known = Some(self.snapshot.profiles.clone());
        self.command(Command::NewProfile { slot, like: Some(purpose) }, Then::Nothing);
    }

    /// Carries out what was typed about the chosen profile.
    pub(crate) fn type_profile(&mut self, what: &TypedFor, text: String) {
        let name = self.shelf.chosen.clone();
        let act = match what {
            TypedFor::ImportProfile => ProfileStoreAct::TakeIn(text),
            TypedFor::ExportProfile => ProfileStoreAct::HandOut { name, to: text },
            _ => ProfileStoreAct::Rename { from: name, to: text },
        };
        self.shelve(act);
    }

    /// Chooses a profile that was just made or renamed; if the chosen one is gone, the one that took its place.
    pub(crate) fn keep_profile(&mut self) {
        let (all, shelf) = (&self.snapshot.profiles, &mut self.shelf);
        let new = shelf.known.as_ref().and_then(|known| all.iter().position(|name| !known.contains(name)));
        if new.is_some() {
            shelf.known = None;
        }
        if let Some(at) = new.or_else(|| all.iter().position(|own| *own == shelf.chosen)) {
            shelf.at = at;
        }
        if let Some(name) = all.get(shelf.at.min(all.len().saturating_sub(1))) {
            shelf.chosen.clone_from(name);
        }
    }
}
