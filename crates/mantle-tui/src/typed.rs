//! What the person answers to what lies over a view.

use crate::app::App;
use crate::keys::Intent;
use crate::over::{Over, TypedFor};
use crate::rows::Then;
use mantle_talk::{Change, Command, Order, PlaybackOrder, Stage};

impl App {
    pub(crate) fn handle_over(&mut self, intent: Intent) {
        match (&mut self.over, intent) {
            (Some(Over::Question), Intent::Open) => self.left = true,
            (Some(Over::Swap(swap)), Intent::MoveSource | Intent::SwapSources | Intent::BothTargets) => {
                let swap = swap.clone();
                self.over = None;
                self.handle_swap(intent, &swap);
            }
            (Some(Over::Typing(typing)), Intent::Open) => {
                let (what, text) = (typing.what, typing.text().to_owned());
                self.over = None;
                match what {
                    TypedFor::Action(slot, target) => {
                        self.edit(slot, vec![Change::Action(target, text)]);
                    }
                    _ if text.is_empty() => {}
                    TypedFor::Source(slot, target) => self.type_source(slot, target, &text),
                    TypedFor::KeyTarget(slot) => self.type_stroke(slot, &text),
                    TypedFor::Layer(slot) => self.name_layer(slot, &text),
                    TypedFor::Profile(slot) => self.edit(slot, vec![Change::Name(text)]),
                    TypedFor::NewProfile(slot) => {
                        self.command(Command::NewProfile { slot, like: Some(text) }, Then::Nothing);
                    }
                    TypedFor::RenameProfile | TypedFor::TakeProfileIn | TypedFor::HandProfileOut => {
                        self.type_profile(what, text);
                    }
                    TypedFor::Recording => {
                        let number = self.number(Then::Nothing);
                        self.orders.push(Order::Playback(PlaybackOrder::Open(number, text)));
                    }
                }
            }
            (Some(Over::Members(members)), Intent::Open) => {
                let command = members.command();
                self.over = None;
                self.command(command, Then::Nothing);
            }
            (Some(Over::Members(members)), Intent::Up | Intent::Down) => {
                let row = self.snapshot.slots.iter().find(|row| row.number == members.slot);
                let all = row.map_or(&[][..], |row| &row.members);
                let at = all.iter().position(|member| *member == members.chosen).unwrap_or(0);
                let next = if intent == Intent::Up { at.saturating_sub(1) } else { at + 1 };
                members.chosen = all.get(next).or(all.last()).copied().unwrap_or(members.chosen);
            }
            (Some(Over::Choose(choose)), Intent::Open) => {
                let choose = choose.clone();
                self.over = None;
                let command = choose.command(&self.snapshot.profiles);
                self.command(command, Then::Open(choose.slot, Stage::Pad));
                let template = choose.template(self.snapshot.profiles.len()).filter(|_| !choose.tie);
                if let Some(like) = template {
                    let like = Some(like.to_owned());
                    self.command(Command::NewProfile { slot: choose.slot, like }, Then::Nothing);
                }
            }
            (
                Some(Over::Choose(choose)),
                Intent::Up | Intent::Down | Intent::Left | Intent::Right | Intent::Slot(_) | Intent::Kind(_),
            ) => {
                choose.handle_intent(intent, &self.snapshot);
            }
            (_, Intent::Back) => self.over = None,
            _ => {}
        }
    }
}
