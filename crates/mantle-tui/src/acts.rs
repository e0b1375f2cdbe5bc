//! Carries out intents on the board and in the stage views.

use crate::app::App;
use crate::keys::{FeelKey, Intent};
use crate::mode::{Choose, Chosen, Members, Mode, TypedFor};
use crate::rows::{Row, Then, View};
use crate::widths::Columns;
use mantle_talk::{Command, DeviceRow, FindOrder, HandMove, Play, PlaybackOrder, SlotNumber, SlotRow, Stage, Wish};

impl App {
    pub(crate) fn handle_main(&mut self, intent: Intent) {
        let walked = self.walked.clone();
        // Moving to another cell by hand ends the walk through the sentences.
        if matches!(
            intent,
            Intent::Back
                | Intent::Go(_)
                | Intent::Slot(_)
                | Intent::RowBefore
                | Intent::RowAfter
                | Intent::Left
                | Intent::Right
                | Intent::Open
        ) {
            self.walked = None;
        }
        match intent {
            Intent::Up | Intent::Down => self.step_in_list(intent == Intent::Down),
            Intent::RowBefore => self.step(-1),
            Intent::RowAfter => self.step(1),
            Intent::Left | Intent::Right => self.sideways(intent == Intent::Right),
            Intent::Open => self.view = View::Stage,
            Intent::Back => self.view = View::Board,
            Intent::Slot(number) => {
                let row = SlotNumber::new(number).map(Row::Slot).filter(|row| self.rows().contains(row));
                match row {
                    Some(row) => self.row = Some(row),
                    None => self.message = Some(format!("slot {number} is not in use").into()),
                }
            }
            Intent::Go(stage) => {
                self.stage = stage;
                self.view = View::Stage;
            }
            Intent::Mend => self.mend(walked),
            Intent::MendAt(place) => {
                let before = usize::from(place).checked_sub(1).and_then(|at| self.snapshot.sentences.get(at));
                self.mend(before.cloned());
            }
            Intent::MendNow => self.mend_now(walked.as_ref()),
            Intent::Freeze if self.view == View::Stage && self.stage == Stage::Reports => self.freeze(),
            Intent::Freeze => {
                self.message = Some("reports can be stopped in the Reports view: R".into());
            }
            Intent::Earlier => self.step_frozen(-1),
            Intent::Later => self.step_frozen(1),
            Intent::MuchEarlier => self.step_frozen(-50),
            Intent::MuchLater => self.step_frozen(50),
            Intent::Pause => self.play(Play::Pause),
            Intent::Step => self.play(Play::Step),
            Intent::Faster => self.play(Play::Faster),
            Intent::Slower => self.play(Play::Slower),
            Intent::OpenFile => self.ask_line(TypedFor::Recording),
            Intent::CloseFile => match self.device().filter(|device| device.recorded).map(|device| device.node) {
                Some(node) => self.order(Wish::Playback(PlaybackOrder::Close(node))),
                None => self.message = Some("the chosen device is not a recording".into()),
            },
            Intent::Place => self.begin_placing(),
            Intent::Move => match self.row {
                Some(Row::Slot(from)) => {
                    let to = SlotNumber::all().find(|slot| *slot != from).unwrap_or(from);
                    self.mode = Mode::Choose(Choose::new(Chosen::Slot(from), to));
                }
                _ => self.message = Some("choose a slot to move; a device without a slot is placed with p".into()),
            },
            Intent::Tie => self.begin_tying(),
            Intent::TakeOut => match self.row {
                Some(Row::Slot(slot)) => self.command(Command::TakeOut { slot }, Then::Nothing),
                _ => self.message = Some("no slot is chosen".into()),
            },
            Intent::LetGo => {
                let command = if self.snapshot.paused { Command::Resume } else { Command::LetGo };
                self.command(command, Then::Nothing);
            }
            Intent::PauseSlot => match self.row {
                Some(Row::Slot(slot)) => {
                    let row = self.snapshot.slots.iter().find(|row| row.number == slot);
                    let paused = row.is_some_and(|row| row.paused);
                    self.command(Command::PauseSlot { slot, paused: !paused }, Then::Nothing);
                }
                _ => self.message = Some("no slot is chosen".into()),
            },
            Intent::Paper => match self.paper() {
                Some(paper) => self.order(Wish::Paper(paper)),
                None if matches!(self.row, Some(Row::Slot(_))) && self.view == View::Stage => {
                    self.message = Some(
                        "bindings, feel, results and delay can be exported (B, F, P, R) once they are shown".into(),
                    );
                }
                None => {
                    self.message =
                        Some("there is nothing to export here: a card, curves, results and timing need a slot".into())
                }
            },
            Intent::TypeHere => self.command(Command::TypeHere(!self.snapshot.types_here), Then::Nothing),
            Intent::LetType => self.let_type(),
            Intent::FindDevice => match self.device().map(|device| device.id) {
                Some(device) => self.command(Command::FindDevice { device }, Then::Nothing),
                None => self.message = Some("no device is chosen".into()),
            },
            Intent::Nickname => match self.device().map(|device| (device.id, device.name.clone())) {
                Some((device, name)) => self.ask_line_with(TypedFor::Nickname(device), &name),
                None => self.message = Some("no device is chosen".into()),
            },
            Intent::Lock => self.command(Command::Lock(!self.snapshot.locked), Then::Nothing),
            Intent::SitDown => self.command(Command::AskToSit(!self.snapshot.sitting.0), Then::Nothing),
            Intent::SitByTwo => self.command(Command::SitByTwo(!self.snapshot.sitting.1), Then::Nothing),
            Intent::LeaveToGame => match self.device().map(|device| (device.id, device.left)) {
                Some((device, left)) => self.command(Command::LeaveToGame { device, left: !left }, Then::Nothing),
                None => self.message = Some("no device is chosen".into()),
            },
            Intent::PassOn => match self.passing() {
                Some((device, on)) => self.command(Command::PassOn { device, on: !on }, Then::Nothing),
                None => {
                    self.message = Some("only keyboards and mice read by their input nodes have keys to pass on".into())
                }
            },
            Intent::Keyboards if self.on_keyboard() => self.keyboards = !self.keyboards,
            Intent::Keyboards => self.message = Some("no keyboard is chosen".into()),
            Intent::Find => self.begin_finding(),
            Intent::Record => match self.device().map(|device| device.node) {
                Some(node) => {
                    let running = self.snapshot.recording.as_ref().is_some_and(|tape| tape.ended.is_none());
                    self.order(Wish::Record(node, !running));
                    self.stage = Stage::Reports;
                    self.view = View::Stage;
                }
                None => self.message = Some("no device is chosen".into()),
            },
            Intent::Accept | Intent::Again | Intent::Skip | Intent::Before | Intent::Now | Intent::Travel => {}
            Intent::TakeInHand => self.take_in_hand(),
            Intent::InHand(_) => {}
            Intent::Binding(binding) => self.handle_binding(binding),
            Intent::Pad(wanted) => self.handle_pad(wanted),
            Intent::Rule(wanted) => self.handle_rule(wanted),
            Intent::Connect => self.begin_connecting(),
            Intent::Connecting(_) => {}
            Intent::Readiness => self.mode = Mode::Readiness(0),
            Intent::Feel(wanted) => self.handle_feel(wanted),
            Intent::Call(call) => self.handle_call(call),
            Intent::Calibrate(wanted) => self.handle_calibrate(wanted),
            Intent::SwapSources | Intent::BothTargets | Intent::Kind(_) | Intent::SameDevice => {}
            Intent::Undo => self.command(Command::Undo { slot: self.edited_slot() }, Then::Undone),
            Intent::Redo => self.command(Command::Redo { slot: self.edited_slot() }, Then::Redone),
            Intent::ChooseKind => self.begin_kind(),
            Intent::FindInList => self.ask_line(TypedFor::Find),
            Intent::Orders => self.ask_line(TypedFor::Order),
            Intent::CountOtherwise | Intent::Explain | Intent::SkipStep => {}
            Intent::Journal => self.open_journal(),
            Intent::Profiles(_) => self.open_profiles(),
            Intent::Help => self.mode = Mode::Help(0),
            Intent::Quit => self.quit(),
            Intent::QuitNow => self.left = true,
        }
    }

    /// Finds the fields of the chosen device; in the demo the device is first taken in hand.
    fn begin_finding(&mut self) {
        let Some(node) = self.device().map(|device| device.node) else {
            self.message = Some("no device is chosen".into());
            return;
        };
        self.order(Wish::Find(FindOrder::Begin(node)));
        self.stage = Stage::Reports;
        self.view = View::Stage;
        self.take_demo_in_hand();
    }

    /// Handles an intent while fields are being found.
    pub(crate) fn handle_finding(&mut self, intent: Intent) {
        let order = match intent {
            Intent::Accept => FindOrder::Accept,
            Intent::Again => FindOrder::Again,
            Intent::Skip => FindOrder::Skip,
            Intent::Before => FindOrder::Back,
            Intent::Now => FindOrder::Now,
            Intent::Back => FindOrder::Stop,
            Intent::Travel => return self.hand_order(HandMove::Travel),
            Intent::Help => {
                self.mode = Mode::Help(0);
                return;
            }
            _ => return,
        };
        if order == FindOrder::Stop {
            self.put_down();
        }
        self.order(Wish::Find(order));
    }

    pub(crate) fn quit(&mut self) {
        let live = self.snapshot.slots.iter().any(SlotRow::is_live);
        // The demo has nothing to lose, so leaving needs no question.
        if live && self.snapshot.header.attached.is_none() && !self.snapshot.header.demo {
            self.mode = Mode::Question;
        } else {
            self.left = true;
        }
    }

    /// Moves within the view's list; in a view without a list, moves to the next slot or device.
    fn step_in_list(&mut self, down: bool) {
        match (self.view, self.stage) {
            (View::Stage, Stage::Bindings | Stage::Pad) => self.step_target(down),
            (View::Stage, Stage::Games) => self.step_listed(down),
            (View::Stage, Stage::Feel) => self.handle_feel(if down { FeelKey::Next } else { FeelKey::Before }),
            // If every control is visible there is nothing to scroll, so the arrows move between slots.
            (View::Stage, Stage::Controls) if self.seen.step(down) => {}
            _ => self.step(if down { 1 } else { -1 }),
        }
    }

    /// Moves through the list of what a game sees.
    fn step_listed(&mut self, down: bool) {
        let lines = self.snapshot.sight.as_deref().map_or(0, crate::panel::games::lines_of);
        self.listed = match down {
            true => (self.listed + 1).min(lines.saturating_sub(1)),
            false => self.listed.min(lines).saturating_sub(1),
        };
    }

    fn step(&mut self, by: i32) {
        let rows = self.rows();
        let Some(at) = self.row.and_then(|row| rows.iter().position(|other| *other == row)) else {
            self.row = rows.first().copied();
            return;
        };
        let next = (at as i32 + by).clamp(0, rows.len() as i32 - 1) as usize;
        self.row = rows.get(next).copied();
    }

    fn sideways(&mut self, right: bool) {
        let shown: Vec<Stage> = match self.view {
            View::Board => Columns::at(self.width).stages.iter().map(|(stage, ..)| *stage).collect(),
            _ => Stage::ALL.to_vec(),
        };
        let at = shown.iter().position(|stage| *stage == self.stage).unwrap_or(0);
        let next = if right { (at + 1).min(shown.len() - 1) } else { at.saturating_sub(1) };
        self.stage = shown[next];
    }

    fn play(&mut self, play: Play) {
        match self.playing() {
            Some(node) => self.order(Wish::Playback(PlaybackOrder::Play(node, play))),
            None => self.message = Some("only a recording can be paused and stepped".into()),
        }
    }

    /// The slot whose profile the current view edits.
    fn edited_slot(&self) -> Option<SlotNumber> {
        self.bound_slot().or(self.felt_slot())
    }

    /// Unties a device of several; ties a single or unplaced device to another player.
    fn begin_tying(&mut self) {
        if let Some(row) = self.slot_row().filter(|row| row.names.len() > 1) {
            self.mode =
                Mode::Members(Members { slot: row.number, chosen: row.members.last().copied().unwrap_or_default() });
            return;
        }
        let Some(device) = self.device() else {
            self.message = Some("no device is chosen".into());
            return;
        };
        let others = self.snapshot.slots.iter().map(|row| row.number).filter(|slot| Some(*slot) != device.slot);
        let others: Vec<SlotNumber> = others.collect();
        let Some(slot) = others.first() else {
            self.message = Some("there is no other player to tie it to".into());
            return;
        };
        let what = chosen(device);
        let mut choose = Choose { tie: true, ..Choose::new(what, *slot) };
        choose.see_who_is_away(&self.snapshot);
        // With exactly one other player there is nothing to choose.
        if others.len() == 1 && !choose.lends {
            self.place_chosen(&choose);
        } else {
            self.mode = Mode::Choose(choose);
        }
    }

    pub(crate) fn begin_placing(&mut self) {
        let Some(device) = self.device() else {
            self.message = Some("no device is chosen".into());
            return;
        };
        let Some(slot) = device.slot.or(self.snapshot.free_slot()).or(SlotNumber::new(1)) else { return };
        let row = self.snapshot.slots.iter().find(|row| Some(row.number) == device.slot);
        let now = row.map(|row| row.profile.as_str());
        let profile = self.snapshot.profiles.iter().position(|name| Some(name.as_str()) == now).unwrap_or(0);
        let kind = row.map_or(&device.kind, |row| &row.kind).clone();
        let choose = Choose { profile, kind, kinds: device.kinds.clone(), ..Choose::new(chosen(device), slot) };
        self.mode = Mode::Choose(choose);
    }
}

/// Opens the chooser that places or ties a device.
fn chosen(device: &DeviceRow) -> Chosen {
    Chosen::Device { id: device.id, part: device.part, name: device.name.clone(), sits: device.slot.is_some() }
}
