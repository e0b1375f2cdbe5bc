//! The running game with a rule: what the rule wants of slots, and what was before.
//!
//! A rule changes a slot once. If the slot differs afterwards, somebody has chosen that, and it stays until the game ends.
//! Then everything is as it was before the game. What is kept across restarts is always the state before the game.

use super::{Effect, Slot, Table};
use crate::command::{Command, CommandNumber, RuleAct};
use crate::cover::Cover;
use crate::device::DeviceId;
use crate::games::{GameRule, GameSign, GameView, RunningProgram, SlotRule};
use crate::pad::PadKind;
use crate::path::Mark;
use crate::slot::{MOST_RUMBLE, RememberedSlot, SLOTS, SlotNumber};
use crate::time::Micros;

/// A running game with a rule.
#[derive(Clone, PartialEq, Debug)]
pub struct PlayedGame {
    /// The program.
    pub program: RunningProgram,
    /// Its rule.
    pub rule: GameRule,
}

/// The rules, and which of their programs are running.
#[derive(Clone, Debug, Default)]
pub(super) struct Playing {
    /// Those in the file.
    rules: Vec<GameRule>,
    /// Those of a process, for as long as it runs.
    asked: Vec<(GameRule, String)>,
    /// Whether they have changed since the world was last told, and the number used then.
    changed: bool,
    round: u32,
    game: Option<PlayedGame>,
    /// Rules being saved, by who asked.
    saving: Vec<(CommandNumber, RuleAct)>,
}

impl Playing {
    pub fn new(rules: Vec<GameRule>) -> Self {
        Self { changed: !rules.is_empty(), rules, ..Self::default() }
    }
}

/// What became of one wish of a rule.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Followed {
    /// Still to be done.
    Wanted,
    /// Done.
    Done,
    /// Overridden by somebody's choice.
    Own,
}

/// What a rule has changed in a slot, and what was before.
#[derive(Clone, Debug)]
pub struct ByGame {
    wanted: SlotRule,
    rests: bool,
    before: (String, PadKind, u8, bool),
    /// Profile, kind, rumble, rest, cover.
    steps: [Followed; 5],
    faults: Vec<String>,
}

const PROFILE: usize = 0;
const KIND: usize = 1;
const RUMBLE: usize = 2;
const REST: usize = 3;
const COVER: usize = 4;

impl ByGame {
    fn new(slot: &Slot, wanted: SlotRule, rests: bool) -> Self {
        let before = (slot.profile.clone(), slot.kind.clone(), slot.feedback.rumble, slot.session.paused());
        Self { wanted, rests, before, steps: [Followed::Wanted; 5], faults: Vec::new() }
    }

    /// A difference from what the rule made is somebody's choice.
    fn see_choices(&mut self, slot: &Slot, all_rest: bool) {
        let is = [
            self.wanted.profile.as_ref().is_none_or(|profile| *profile == slot.profile),
            self.wanted.kind.as_ref().is_none_or(|kind| kind.name() == slot.kind.name()),
            self.wanted.rumble.is_none_or(|rumble| rumble == slot.feedback.rumble),
            !self.rests || slot.session.paused() || all_rest,
            true,
        ];
        for (step, is) in self.steps.iter_mut().zip(is) {
            if *step == Followed::Done && !is {
                *step = Followed::Own;
            }
        }
    }

    /// The slot's state by its rule, and what somebody chose instead.
    fn words(&self, number: SlotNumber, slot: &Slot) -> String {
        let wanted = &self.wanted;
        let chosen = |at: usize| if self.steps[at] == Followed::Own { ", as you chose" } else { "" };
        let cover = |covers: bool| if covers { "its devices are covered" } else { "its devices are left to the game" };
        let all = [
            wanted.profile.as_ref().map(|_| format!("by {}{}", slot.profile, chosen(PROFILE))),
            wanted.kind.as_ref().map(|_| format!("as {}{}", slot.kind.with_article(), chosen(KIND))),
            wanted.rumble.map(|_| format!("rumble {} %{}", slot.feedback.rumble, chosen(RUMBLE))),
            self.rests.then(|| format!("at rest{}", chosen(REST))),
            wanted.cover.map(|covers| format!("{}{}", cover(covers), chosen(COVER).replace("as you", "but you"))),
        ];
        let all: Vec<String> = all.into_iter().flatten().chain(self.faults.iter().cloned()).collect();
        let all = if all.is_empty() { "as it is".to_owned() } else { all.join(", ") };
        format!("{number}: {all}")
    }

    /// What is kept of a slot across restarts.
    pub(super) fn put_back(&self, kept: &mut RememberedSlot) {
        let (profile, kind, rumble, _) = &self.before;
        (kept.profile, kept.kind, kept.feedback.rumble) = (profile.clone(), kind.clone(), *rumble);
    }
}

impl Table {
    /// The running game with a rule.
    #[must_use]
    pub fn game(&self) -> Option<&PlayedGame> {
        self.playing.game.as_ref()
    }

    /// The same in words.
    pub(super) fn game_view(&self) -> Option<GameView> {
        let PlayedGame { program, rule } = self.game()?;
        let words = match rule.stays_out {
            true => {
                format!("the game {} ({}) is left alone, by its rule ({})", program.name(), program.pid, rule.words())
            }
            false => format!("the game {} ({}) is played by its rule ({})", program.name(), program.pid, rule.words()),
        };
        let slots = self.slots().filter_map(|(number, slot)| Some(slot.by_game.as_ref()?.words(number, slot)));
        // While a pad is being made, another kind is refused only for that moment.
        let stands = self.slots().filter(|(_, slot)| !slot.is_being_made());
        let refused = stands.filter_map(|(number, slot)| Some((number, slot.by_game.as_ref()?.faults.join("; "))));
        let refused = refused.filter(|(_, why)| !why.is_empty()).collect();
        let (signs, note) = (rule.signs.clone(), rule.note.clone());
        Some(GameView { pid: program.pid, signs, words, slots: slots.collect(), refused, note })
    }

    /// The rules in the file.
    #[must_use]
    pub fn rules(&self) -> &[GameRule] {
        &self.playing.rules
    }

    /// The rules have been read.
    pub(super) fn rules_read(&mut self, rules: Vec<GameRule>) {
        self.playing.changed |= self.playing.rules != rules;
        self.playing.rules = rules;
    }

    /// Which watched programs are running. Results for an earlier list say nothing about this one.
    pub(super) fn programs_run(&mut self, now: Micros, round: u32, running: Vec<RunningProgram>) {
        if round != self.playing.round {
            return;
        }
        let runs = |rule: &GameRule| running.iter().any(|program| rule.is_for(program));
        let asked = self.playing.asked.len();
        self.playing.asked.retain(|(rule, _)| runs(rule));
        self.playing.changed |= self.playing.asked.len() != asked;
        let same = |one: &RunningProgram, other: &RunningProgram| (one.pid, one.started) == (other.pid, other.started);
        let over = self.playing.game.take_if(|game| !running.iter().any(|program| same(program, &game.program)));
        if let Some(game) = over {
            self.note(now, Mark::Well, format!("{} has ended: everything is as before", game.program.name()));
            self.look_now(now);
        }
        self.begin_game(now, &running);
    }

    fn begin_game(&mut self, now: Micros, running: &[RunningProgram]) {
        if self.playing.game.is_some() {
            return;
        }
        let asked = self.playing.asked.iter().map(|(rule, called)| (rule, Some(called)));
        let mut rules = asked.chain(self.playing.rules.iter().map(|rule| (rule, None)));
        let found = rules.find_map(|(rule, called)| {
            let mut program = running.iter().find(|program| rule.is_for(program))?.clone();
            program.names.extend(called.cloned());
            Some((rule.clone(), program))
        });
        let Some((rule, program)) = found else { return };
        let text = format!("{} ({}) is running: its rule ({}) applies", program.name(), program.pid, rule.words());
        self.playing.game = Some(PlayedGame { program, rule });
        self.note(now, Mark::Well, text);
        // It may see less than any other game.
        self.look_now(now);
    }

    /// What follows from the rules and the running game.
    pub(super) fn look_after_game(&mut self, now: Micros) {
        if std::mem::take(&mut self.playing.changed) {
            let asked = self.playing.asked.iter().map(|(rule, _)| rule);
            let known: Vec<GameRule> = asked.chain(&self.playing.rules).cloned().collect();
            self.playing.round += 1;
            self.effects.push_back(Effect::WatchGames { round: self.playing.round, rules: known.clone() });
            // A rule that was deleted or replaced no longer counts.
            let over = self.playing.game.take_if(|game| !known.contains(&game.rule));
            if let Some(PlayedGame { program, .. }) = over {
                self.begin_game(now, std::slice::from_ref(&program));
                if self.playing.game.is_none() {
                    self.note(
                        now,
                        Mark::Well,
                        format!("{} no longer has a rule: everything is as before", program.name()),
                    );
                }
            }
        }
        let idle = self.playing.game.is_none() && self.slots.iter().all(|(_, slot)| slot.by_game.is_none());
        if !idle {
            SlotNumber::all().for_each(|number| self.play_slot(now, number));
        }
    }

    /// Carries out what a rule wants of a slot, or restores what was before.
    fn play_slot(&mut self, now: Micros, number: SlotNumber) {
        let rule = self.playing.game.as_ref().map(|game| &game.rule);
        let rests = rule.is_some_and(|rule| rule.stays_out);
        let wanted = rule.and_then(|rule| match rule.of_slot(number) {
            // A rule that stays out leaves everything to the game.
            _ if rests => Some(SlotRule { cover: Some(false), ..SlotRule::of(number) }),
            own => own.cloned(),
        });
        let all_rest = self.paused;
        let Some(slot) = self.slot(number) else { return };
        let mut own = match (&slot.by_game, &wanted) {
            (None, None) => return,
            (None, Some(wanted)) => Box::new(ByGame::new(slot, wanted.clone(), rests)),
            (Some(own), _) => own.clone(),
        };
        own.see_choices(slot, all_rest);
        let by = match &self.playing.game {
            Some(game) => format!("the rule for {}", game.program.name()),
            None => "its rule".to_owned(),
        };
        match wanted {
            Some(wanted) if wanted == own.wanted && rests == own.rests => {
                self.do_wanted(now, number, &mut own, &by);
                if let Some(slot) = self.slots.get_mut(number) {
                    slot.by_game = Some(own);
                }
            }
            // Another rule, or none: first, restore what was before.
            _ => {
                let done = self.bring_back(now, number, &own);
                if let Some(slot) = self.slots.get_mut(number) {
                    slot.by_game = (!done).then_some(own);
                }
                if done && self.playing.game.is_some() {
                    self.play_slot(now, number);
                }
            }
        }
    }

    fn do_wanted(&mut self, now: Micros, number: SlotNumber, own: &mut ByGame, by: &str) {
        let mut faults = Vec::new();
        let wanted = own.wanted.clone();
        let mut done = |step: &mut Followed, result: Result<(), String>| match result {
            Ok(()) => *step = Followed::Done,
            Err(why) => faults.push(why),
        };
        if own.steps[PROFILE] == Followed::Wanted {
            let result = wanted.profile.map_or(Ok(()), |name| self.play_by(now, number, &name).map(drop));
            done(&mut own.steps[PROFILE], result);
        }
        if own.steps[KIND] == Followed::Wanted {
            let result = wanted.kind.map_or(Ok(()), |kind| self.change_kind(now, number, kind).map(drop));
            done(&mut own.steps[KIND], result);
        }
        if own.steps[RUMBLE] == Followed::Wanted {
            let rumble = wanted.rumble.map(|rumble| rumble.min(MOST_RUMBLE));
            if let Some((slot, rumble)) = self.slots.get_mut(number).zip(rumble) {
                slot.feedback.rumble = rumble;
            }
            done(&mut own.steps[RUMBLE], Ok(()));
        }
        if own.steps[REST] == Followed::Wanted && !self.paused {
            let result = if own.rests { self.pause_slot(now, number, true, by).map(drop) } else { Ok(()) };
            done(&mut own.steps[REST], result);
        }
        if own.steps[COVER] == Followed::Wanted {
            done(&mut own.steps[COVER], Ok(()));
        }
        for fault in &faults {
            if !own.faults.contains(fault) {
                self.note(now, Mark::Doubt, format!("{number}: {by} cannot be applied: {fault}"));
            }
        }
        own.faults = faults;
    }

    /// Restores what was before a game. Returns whether all of it could be.
    fn bring_back(&mut self, now: Micros, number: SlotNumber, own: &ByGame) -> bool {
        let (profile, kind, rumble, rested) = own.before.clone();
        let touched = |at: usize, said: bool| said && own.steps[at] != Followed::Wanted;
        if touched(PROFILE, own.wanted.profile.is_some())
            && self.slot(number).is_some_and(|slot| slot.profile != profile)
            && let Err(why) = self.play_by(now, number, &profile)
        {
            // The profile was deleted meanwhile: the slot keeps the one it has.
            self.note(now, Mark::Doubt, format!("{number} cannot play by {profile} again: {why}"));
        }
        if touched(RUMBLE, own.wanted.rumble.is_some())
            && let Some(slot) = self.slots.get_mut(number)
        {
            slot.feedback.rumble = rumble;
        }
        if own.rests && own.steps[REST] == Followed::Done && !rested && !self.paused {
            let _ = self.pause_slot(now, number, false, "");
        }
        let is_other = |slot: &&Slot| slot.kind.name() != kind.name();
        let other = self.slot(number).filter(|_| touched(KIND, own.wanted.kind.is_some())).filter(is_other);
        match other.map(Slot::is_being_made) {
            None => true,
            Some(true) => false,
            // If the previous kind no longer exists, the slot keeps the one it has.
            Some(false) => {
                let _ = self.change_kind(now, number, kind);
                true
            }
        }
    }

    /// What the running game's rule says about covering a device, by the slots in which it plays.
    pub(super) fn covers_by_game(&self, device: DeviceId) -> Option<bool> {
        let of = |number: SlotNumber| {
            let own = self.slot(number)?.by_game.as_ref()?;
            own.wanted.cover.filter(|_| own.steps[COVER] != Followed::Own && self.playing.game.is_some())
        };
        let parts = self.device(device)?.parts.iter();
        parts.filter_map(|part| of(self.seat(device, part.number)?.slot)).next()
    }

    /// Somebody chose how a device stands towards games: that counts until the game ends.
    pub(super) fn cover_is_chosen(&mut self, device: DeviceId) {
        let parts: Vec<u8> =
            self.device(device).map(|own| own.parts.iter().map(|part| part.number).collect()).unwrap_or_default();
        for slot in
            parts.into_iter().filter_map(|part| self.seat(device, part)).map(|seat| seat.slot).collect::<Vec<_>>()
        {
            if let Some(own) = self.slots.get_mut(slot).and_then(|slot| slot.by_game.as_mut()) {
                own.steps[COVER] = Followed::Own;
            }
        }
    }

    /// A player who changes slots takes along what was before a game.
    pub(super) fn end_game_of(&mut self, now: Micros, number: SlotNumber) -> Result<(), String> {
        let Some(own) = self.slot(number).and_then(|slot| slot.by_game.clone()) else { return Ok(()) };
        if !self.bring_back(now, number, &own) {
            return Err(format!("{number}'s pad is still being made: try again in a moment"));
        }
        if let Some(slot) = self.slots.get_mut(number) {
            slot.by_game = None;
        }
        Ok(())
    }

    /// Rules for as long as a process runs.
    pub(super) fn play_for(&mut self, pid: u32, called: String, rule: GameRule) -> Result<(), String> {
        let signs = vec![GameSign::Process(pid)];
        self.playing.changed = true;
        self.playing.asked.retain(|(own, _)| own.signs != signs);
        if self.playing.asked.len() == SLOTS {
            return Err(format!("{SLOTS} programs have asked for something already"));
        }
        self.playing.asked.push((GameRule { signs, ..rule }, called));
        Ok(())
    }

    /// The present slots, as a rule.
    fn rule_of_now(&self) -> Vec<SlotRule> {
        let left = |slot: SlotNumber| {
            let devices = self.devices().filter(|device| {
                device.parts.iter().any(|part| self.seat(device.id, part.number).is_some_and(|seat| seat.slot == slot))
            });
            let mut devices = devices.peekable();
            devices.peek().is_some() && devices.all(|device| device.cover == Cover::LeftToGame)
        };
        let one = |(number, slot): (SlotNumber, &Slot)| SlotRule {
            slot: number,
            profile: Some(slot.profile.clone()),
            kind: Some(slot.kind.clone()),
            cover: left(number).then_some(false),
            rumble: (slot.feedback.rumble != 100).then_some(slot.feedback.rumble),
        };
        self.slots().map(one).collect()
    }

    /// Saves or deletes a rule.
    pub(super) fn change_rule(&mut self, number: CommandNumber, mut act: RuleAct) -> Result<(), String> {
        if let RuleAct::Add { rule, .. } = &mut act
            && rule.slots.is_empty()
            && !rule.stays_out
        {
            rule.slots = self.rule_of_now();
            if rule.slots.is_empty() {
                return Err("no slot is in use, so a rule would say nothing".into());
            }
        }
        self.playing.saving.push((number, act.clone()));
        self.effects.push_back(Effect::Rule { number, act });
        Ok(())
    }

    /// Whether the rule that a command is about is still being saved.
    pub(super) fn is_saving_rule(&self, number: CommandNumber) -> bool {
        self.playing.saving.iter().any(|(own, _)| *own == number)
    }

    /// A rule was saved or deleted: as it is now, and what was there before; or why not.
    pub(super) fn rule_saved(&mut self, number: CommandNumber, result: Result<(GameRule, Option<GameRule>), String>) {
        let Some(at) = self.playing.saving.iter().position(|(own, _)| *own == number) else { return };
        let (_, act) = self.playing.saving.remove(at);
        let answer = result.map(|(rule, before)| {
            let words = rule.words();
            self.playing.changed = true;
            self.playing.rules.retain(|own| own.signs != rule.signs);
            match act {
                RuleAct::Drop(_) => {
                    (format!("the rule for {words} is deleted"), Some(Command::Rule(RuleAct::Put(rule))))
                }
                RuleAct::Add { .. } | RuleAct::Put(_) => {
                    let inverse = before.map_or(RuleAct::Drop(rule.signs.clone()), RuleAct::Put);
                    self.playing.rules.push(rule);
                    (format!("there is a rule for {words}"), Some(Command::Rule(inverse)))
                }
            }
        });
        self.answer(number, answer);
    }
}
