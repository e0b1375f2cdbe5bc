//! Lines being typed: their keys, and what becomes of them. Nothing typed is ever lost.

use crate::app::App;
use crate::keys::Intent;
use crate::mode::{Mode, TypedFor, Typing};
use crate::offer::Offered;
use crate::rows::Then;
use mantle_talk::{Change, Command, PlaybackOrder, Wish};
use ratatui::crossterm::event::KeyCode;

impl App {
    /// Handles a key that only edits the line.
    pub(crate) fn type_key(&mut self, code: KeyCode) {
        self.change_line(|typing| typing.handle_key(code));
    }

    /// Pastes into the line, if one is open.
    pub(crate) fn paste(&mut self, text: &str) {
        match &mut self.mode {
            Mode::Typing(_) => self.change_line(|typing| typing.paste(text)),
            Mode::Connect(connecting) if connecting.types() => connecting.paste(text),
            _ => {}
        }
    }

    /// The line has changed: the offers follow it, such as the files of another directory.
    fn change_line(&mut self, change: impl FnOnce(&mut Typing)) {
        let Mode::Typing(mut typing) = std::mem::take(&mut self.mode) else { return };
        let before = typing.directory().to_owned();
        change(&mut typing);
        if typing.completes() {
            typing.offers = self.offers(&typing.what, typing.text());
        } else if typing.directory() != before {
            typing.offers = self.offers(&typing.what, typing.directory());
        }
        self.mode = Mode::Typing(typing);
    }

    pub(crate) fn handle_typing(&mut self, mut typing: Typing, intent: Intent) {
        match intent {
            Intent::Back => {
                let what = typing.what.clone();
                let text = typing.text().to_owned();
                if let TypedFor::PlaceProfile(choose) = what {
                    self.mode = Mode::Choose(*choose);
                } else if !text.is_empty() {
                    self.left_line = Some((what, text));
                }
            }
            Intent::Open => self.take_line(typing),
            Intent::Up | Intent::Down => {
                typing.step(intent == Intent::Down);
                self.mode = Mode::Typing(typing);
            }
            Intent::CountOtherwise => {
                typing.from_zero = !typing.from_zero;
                self.mode = Mode::Typing(typing);
            }
            _ => self.mode = Mode::Typing(typing),
        }
    }

    /// Finishes a line. A line that means nothing stays open, with the reason below it.
    fn take_line(&mut self, mut typing: Typing) {
        let since = self.waiting.len();
        let offer = typing.offer().cloned();
        if let Some(offer) = offer.as_ref().filter(|offer| offer.means == Offered::Directory) {
            // A directory opens its own list; when exporting, it is a valid destination.
            if typing.what != TypedFor::ExportProfile {
                let offers = self.offers(&typing.what, &offer.text);
                typing.goes_on(offer.text.clone(), offers);
                self.mode = Mode::Typing(typing);
                return;
            }
        }
        let text = offer.as_ref().map_or_else(|| typing.text().to_owned(), |offer| offer.text.clone());
        let done = match offer.as_ref().map(|offer| &offer.means) {
            Some(Offered::Text | Offered::Directory) | None => self.take_text(&typing, text),
            Some(means) => {
                self.take_offer(&typing.what, means);
                Ok(())
            }
        };
        match done {
            Ok(()) => self.line_waits(since, typing),
            Err(why) => {
                self.message = Some(why.into());
                self.mode = Mode::Typing(typing.standing());
            }
        }
    }

    /// Carries out what was typed or chosen.
    fn take_text(&mut self, typing: &Typing, text: String) -> Result<(), String> {
        match typing.what.clone() {
            TypedFor::Action(slot, target) => self.edit(slot, vec![Change::Action(target, text)]),
            TypedFor::Face(slot) => return self.take_face(slot, &text),
            TypedFor::Nickname(device) => self.command(Command::Nickname { device, name: text }, Then::Nothing),
            TypedFor::PlaceProfile(mut choose) => {
                choose.take_profile(&text, &self.snapshot);
                self.mode = Mode::Choose(*choose);
            }
            _ if text.is_empty() => return Err("nothing is typed yet; Esc closes".into()),
            TypedFor::Source(slot, target) => return self.type_source(slot, target, &text),
            TypedFor::List(slot) => return self.take_list(slot, &text, typing.from_zero),
            TypedFor::Block(..) => return Err(format!("nothing in the list is called {text}")),
            TypedFor::KeyTarget(_) => return Err(format!("no key or action has {text} in its name")),
            TypedFor::Order => return Err(format!("no command available now has {text} in its name")),
            TypedFor::Find => return Err(format!("the pad has nothing called {text}")),
            TypedFor::FindProfile => match self.snapshot.profiles.iter().position(|name| *name == text) {
                Some(at) => self.choose_profile(at),
                None => return Err(format!("there is no profile called {text}")),
            },
            TypedFor::Layer(slot) => self.name_layer(slot, &text),
            TypedFor::Profile(slot) => self.edit(slot, vec![Change::Name(text)]),
            TypedFor::NewProfile(slot) => self.begin_profile(slot, text),
            TypedFor::RenameProfile | TypedFor::ImportProfile | TypedFor::ExportProfile => {
                self.type_profile(&typing.what, text);
            }
            TypedFor::Recording => self.order(Wish::Playback(PlaybackOrder::Open(text))),
            TypedFor::Knob => return self.type_knob(&text),
            TypedFor::Option(slot, _) => return self.type_option(slot, &text),
        }
        Ok(())
    }
}
