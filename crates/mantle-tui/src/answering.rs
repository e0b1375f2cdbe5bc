//! Answers to whatever is open over the view.

use crate::app::App;
use crate::keys::Intent;
use crate::mode::{Choose, KindChoice, Mode, TypedFor, step_help};
use crate::rows::Then;
use mantle_talk::{Command, PadKind, Stage, Wish};

impl App {
    /// Handles an answer. A mode that is not finished by it puts itself back.
    pub(crate) fn handle_mode(&mut self, intent: Intent) {
        let mode = std::mem::take(&mut self.mode);
        match (mode, intent) {
            (Mode::View, _) => {}
            (listening @ Mode::Listening(_), _) => {
                self.mode = listening;
                if intent == Intent::Back {
                    self.stop_listening();
                }
            }
            (Mode::Connect(connecting), _) => self.handle_connecting(connecting, intent),
            (Mode::Typing(typing), _) => self.handle_typing(typing, intent),
            (Mode::Swap(swap), Intent::Back) => self.command(Command::Undo { slot: Some(swap.slot) }, Then::Undone),
            (_, Intent::Back) | (Mode::Swap(_), Intent::Open) => {}
            (Mode::Question, Intent::Open) => self.left = true,
            (Mode::Case, Intent::Open) => self.order(Wish::Case(false)),
            (Mode::Choose(choose), Intent::Open) => self.place_chosen(&choose),
            (Mode::Choose(choose), Intent::SameDevice) => match choose.same() {
                Some(command) => self.command(command, Then::Open(choose.slot, Stage::Pad)),
                None => {
                    self.message = Some("choose the slot whose device it is".into());
                    self.mode = Mode::Choose(choose);
                }
            },
            (Mode::Choose(choose), Intent::FindInList) => {
                self.ask_line(TypedFor::PlaceProfile(Box::new(choose)));
            }
            (Mode::Choose(mut choose), _) => {
                choose.step(intent, &self.snapshot);
                self.mode = Mode::Choose(choose);
            }
            (Mode::Kind(KindChoice { slot, kind, .. }), Intent::Open) => {
                self.command(Command::Kind { slot, kind }, Then::Nothing);
            }
            (Mode::Kind(mut choice), _) => {
                choice.step(intent);
                self.mode = Mode::Kind(choice);
            }
            (Mode::Members(members), Intent::Open) => {
                let (slot, member) = (members.slot, members.chosen);
                self.command(Command::Untie { slot, member, back: None }, Then::Nothing);
            }
            (Mode::Members(mut members), _) => {
                members.step(intent, &self.snapshot);
                self.mode = Mode::Members(members);
            }
            (Mode::Help(from), Intent::Up | Intent::Down) => {
                let keys = self.keys_of_use();
                self.mode = Mode::Help(step_help(from, intent, &keys, self.height));
            }
            (Mode::Guide(mut page), Intent::Up | Intent::Down) => {
                page.step(intent, self.height);
                self.mode = Mode::Guide(page);
            }
            // A key of the help page was clicked.
            (Mode::Help(_), _) => self.handle_intent(intent),
            (Mode::Readiness(from), Intent::Down) => {
                let last = self.snapshot.readiness.as_ref().map_or(0, |found| found.len().saturating_sub(1));
                self.mode = Mode::Readiness((from + 1).min(last));
            }
            (Mode::Readiness(from), Intent::Up) => self.mode = Mode::Readiness(from.saturating_sub(1)),
            (Mode::Swap(swap), Intent::SwapSources) if swap.old.is_none() => self.mode = Mode::Swap(swap),
            (Mode::Swap(swap), Intent::SwapSources | Intent::BothTargets) => {
                self.handle_swap(intent, &swap);
            }
            (other, _) => self.mode = other,
        }
    }

    /// Carries out placing, tying or moving as it was chosen.
    pub(crate) fn place_chosen(&mut self, choose: &Choose) {
        let command = choose.command(&self.snapshot.profiles);
        self.command(command, Then::Open(choose.slot, Stage::Pad));
        let template = choose.template(self.snapshot.profiles.len()).filter(|_| !choose.tie);
        if let Some(like) = template {
            let like = Some(like.name.to_owned());
            self.command(Command::NewProfile { slot: choose.slot, like }, Then::Nothing);
        }
    }

    /// Opens the chooser for the slot's kind of pad.
    pub(crate) fn begin_kind(&mut self) {
        let Some((slot, kind)) = self.slot_row().map(|row| (row.number, row.kind.clone())) else {
            self.message = Some("a slot has a kind of pad: place the device first (p)".into());
            return;
        };
        // A player with several devices has the controls of all of them.
        let own = self.snapshot.devices.iter().filter(|device| device.slot == Some(slot)).map(|device| &device.kinds);
        let both = |all: Vec<PadKind>, more: &Vec<PadKind>| {
            all.iter().zip(more).map(|(one, two)| one.with(two)).collect::<Vec<_>>()
        };
        let kinds = own.cloned().reduce(|all, more| both(all, &more)).unwrap_or_else(|| vec![kind.clone()]);
        self.command(Command::Look, Then::Nothing);
        self.mode = Mode::Kind(KindChoice { slot, kind, kinds });
    }
}
