//! The engine's only entrance besides reports and time: each event is handled after everything that was due before it,
//! changes facts, and what follows from those is settled once.

use super::watching::FilesOf;
use super::{Purpose, Table};
use crate::binding::Profile;
use crate::command::{Command, CommandNumber};
use crate::connecting::RadioNews;
use crate::cover::Strength;
use crate::device::{DeviceId, Driven, NodeFacts, NodeId, OsFault};
use crate::front::Front;
use crate::games::{GameRule, RunningProgram};
use crate::outgoing::Sent;
use crate::pad::{GameLamp, OwnPad};
use crate::path::{MadePad, PadFault};
use crate::preferences::Preferences;
use crate::priority::Priority;
use crate::readiness::ReadyFacts;
use crate::sheet::Sheet;
use crate::sight::Look;
use crate::slot::SlotNumber;
use crate::time::Micros;
use std::sync::Arc;

impl Table {
    /// Handles an event that changes facts.
    fn handle(&mut self, now: Micros, change: impl FnOnce(&mut Self)) {
        self.handle_time(now);
        change(self);
        self.settle(now);
    }

    /// A node has appeared.
    pub fn handle_arrived(&mut self, now: Micros, facts: NodeFacts) {
        self.handle(now, |table| table.arrive(now, facts));
    }

    /// A node's rights have changed: a refused one is tried again.
    pub fn handle_changed(&mut self, now: Micros, node: NodeId) {
        self.handle(now, |table| table.rights_changed(node));
    }

    /// The kernel's input nodes of a node's device have changed.
    pub fn handle_inputs(&mut self, now: Micros, node: NodeId, inputs: Vec<String>, driven: Driven) {
        self.handle(now, |table| table.inputs_changed(now, node, inputs, driven));
    }

    /// The system reports the battery of a node's device, 0 to 1, and whether it is charging; none if it no longer reports.
    pub fn handle_power(&mut self, now: Micros, node: NodeId, power: Option<(f32, bool)>) {
        self.handle(now, |table| table.power_is(node, power));
    }

    /// Reports of a node came faster than they could be read, and some were lost; its state is asked for, or read again.
    pub fn handle_overrun(&mut self, now: Micros, node: NodeId) {
        self.handle(now, |table| table.overran(now, node));
    }

    /// A node is gone. Whatever it held is released at once; its slot is kept.
    pub fn handle_gone(&mut self, now: Micros, node: NodeId) {
        self.handle(now, |table| table.go(now, node));
    }

    /// A node was opened, or refused.
    pub fn handle_opened(&mut self, now: Micros, node: NodeId, result: Result<(), OsFault>) {
        self.handle(now, |table| table.opened(now, node, result));
    }

    /// The result of something that was sent.
    pub fn handle_sent(
        &mut self,
        now: Micros,
        node: NodeId,
        request: u32,
        purpose: Purpose,
        result: Result<Sent, OsFault>,
    ) {
        self.handle(now, |table| table.sent(now, node, request, purpose, result));
    }

    /// A requested cover is done, or was refused.
    pub fn handle_cover(&mut self, now: Micros, device: DeviceId, result: Result<Strength, OsFault>) {
        self.handle(now, |table| table.covered(now, device, result));
    }

    /// Reports of a node were lost, and its state was asked for. The answer counts like reports; without an answer,
    /// whatever it held is released until its next report.
    pub fn handle_asked(&mut self, now: Micros, node: NodeId, result: &Result<Vec<Vec<u8>>, OsFault>) {
        self.handle(now, |table| table.asked(now, node, result));
    }

    /// A device that is only held although it should be hidden may be tried again; its hold stays meanwhile.
    pub fn handle_cover_again(&mut self, now: Micros, device: DeviceId) {
        self.handle(now, |table| table.cover_again(device));
    }

    /// It is this engine's turn, or another account's: then reports are not ours, and all pads rest.
    pub fn handle_front(&mut self, now: Micros, front: Front) {
        self.handle(now, |table| table.front_is(now, front));
    }

    /// How the engine's thread is scheduled from now on.
    pub fn handle_priority(&mut self, now: Micros, priority: &Priority) {
        let (mark, text) = priority.note();
        self.note(now, mark, text);
    }

    /// The machine is about to sleep, or has woken. Until it is awake all pads rest, and whatever was held does not count until it is
    /// pressed again.
    pub fn handle_sleep(&mut self, now: Micros, asleep: bool) {
        self.handle(now, |table| table.sleep_is(now, asleep));
    }

    /// The settings have been read again; if they have faults, they stay as they were.
    pub fn handle_preferences(&mut self, now: Micros, read: Result<Preferences, Vec<String>>) {
        self.handle(now, |table| {
            let faults = read.map(|preferences| table.preferences = preferences).err().unwrap_or_default();
            table.files_read(now, FilesOf::Settings, faults);
        });
    }

    /// A requested pad is there, under this name, or was refused.
    pub fn handle_pad(&mut self, now: Micros, number: SlotNumber, made: Result<MadePad, PadFault>) {
        self.handle(now, |table| table.pad_made(now, number, made));
    }

    /// The result of finding out whether pads can be made.
    pub fn handle_probe(&mut self, now: Micros, found: Result<(), PadFault>) {
        self.handle(now, |table| table.pads_probed(found.err()));
    }

    /// A pad did not take its events: it is made again. Called while other pads' events wait.
    pub fn handle_pad_lost(&mut self, now: Micros, number: SlotNumber, fault: PadFault) {
        self.pass_time(now);
        self.pad_lost(now, number, fault);
        self.settle(now);
    }

    /// The nodes through which a slot types are there, or cannot be made, or took nothing.
    pub fn handle_keys(&mut self, now: Micros, number: SlotNumber, made: Result<String, PadFault>) {
        self.handle(now, |table| table.keys_made(now, number, made));
    }

    /// A game asks a pad to rumble: strong and weak motor, 0 to 65535, until a moment; both 0 to stop.
    pub fn handle_rumble(&mut self, now: Micros, number: SlotNumber, strong: u16, weak: u16, until: Micros) {
        self.handle_time(now);
        self.rumble(now, number, (strong, weak), until);
    }

    /// The result of looking at what a game would see.
    pub fn handle_look(&mut self, now: Micros, look: Look) {
        self.handle_time(now);
        if self.has_looked(now, look) {
            self.settle(now);
        }
    }

    /// The computer's radio reports something.
    pub fn handle_radio(&mut self, now: Micros, news: RadioNews) {
        self.handle(now, |table| table.radio_says(now, news));
    }

    /// The machine's readiness.
    pub fn handle_ready(&mut self, now: Micros, facts: ReadyFacts) {
        self.handle_time(now);
        if self.is_ready(now, facts) {
            self.settle(now);
        }
    }

    /// A game sets a pad's lamp: its colour, or its player lamps.
    pub fn handle_lamp(&mut self, now: Micros, number: SlotNumber, lamp: GameLamp) {
        self.handle(now, |table| table.lamp(number, lamp));
    }

    /// Carries out a command. Answered by [`Table::poll_answer`].
    pub fn handle_command(&mut self, now: Micros, number: CommandNumber, command: Command) {
        self.handle(now, |table| {
            let said = table.said_of(&command);
            let fits = match &command {
                Command::Place { slot, .. } | Command::Kind { slot, .. } | Command::PlayBy { slot, .. } => Some(*slot),
                _ => None,
            };
            match table.obey(now, number, command) {
                // A change of a profile is answered once it is saved.
                Ok(_) if table.is_editing(number) || table.is_saving_rule(number) => {}
                Ok(inverse) => {
                    let more = fits.and_then(|slot| table.said_of_fit(slot)).unwrap_or_default();
                    table.answer(number, Ok((said + &more, inverse)));
                }
                Err(why) => table.answer(number, Err(why)),
            }
        });
    }

    /// All profiles have been read again; slots whose profile has changed play by the new one from here on.
    /// `faults` are those of their files; a profile that can no longer be read stays as it was.
    pub fn handle_profiles(&mut self, now: Micros, profiles: Vec<Arc<Profile>>, faults: Vec<String>) {
        self.handle(now, |table| {
            table.profiles_read(now, profiles, !faults.is_empty());
            table.files_read(now, FilesOf::Profiles, faults);
        });
    }

    /// A change of a profile was saved, or could not be.
    pub fn handle_profile(&mut self, now: Micros, number: CommandNumber, result: Result<Profile, String>) {
        self.handle(now, |table| table.profile_saved(now, number, result));
    }

    /// All pad files have been read again, with these faults.
    pub fn handle_own_pads(&mut self, now: Micros, pads: Vec<Arc<OwnPad>>, faults: Vec<String>) {
        self.handle(now, |table| {
            table.own_pads_read(now, pads);
            table.files_read(now, FilesOf::Pads, faults);
        });
    }

    /// The rules for games have been read again; if they have faults, they stay as they were.
    pub fn handle_rules(&mut self, now: Micros, read: Result<Vec<GameRule>, Vec<String>>) {
        self.handle(now, |table| {
            let faults = read.map(|rules| table.rules_read(rules)).err().unwrap_or_default();
            table.files_read(now, FilesOf::Rules, faults);
        });
    }

    /// Which of the programs watched under a number are running.
    pub fn handle_running(&mut self, now: Micros, round: u32, running: Vec<RunningProgram>) {
        self.handle(now, |table| table.programs_run(now, round, running));
    }

    /// A rule was saved or deleted, and which one it replaced; or it could not be.
    pub fn handle_rule(
        &mut self,
        now: Micros,
        number: CommandNumber,
        result: Result<(GameRule, Option<GameRule>), String>,
    ) {
        self.handle(now, |table| table.rule_saved(number, result));
    }

    /// All sheets have been read again, with these faults.
    pub fn handle_sheets(&mut self, now: Micros, sheets: Vec<Sheet>, faults: Vec<String>) {
        self.handle(now, |table| {
            table.sheets_read(now, sheets);
            table.files_read(now, FilesOf::Sheets, faults);
        });
    }

    /// A sheet was made here: it is saved, and preferred to those that are there.
    pub fn handle_sheet(&mut self, now: Micros, sheet: Sheet) {
        self.handle(now, |table| table.sheet_made(now, sheet));
    }

    /// A node's fields are being found: it is read, whoever it is, and keeps its sheet until that is over.
    pub fn handle_finding(&mut self, now: Micros, node: Option<NodeId>) {
        self.handle(now, |table| table.find_fields(now, node));
    }

    /// Somebody wants to see a node's reports: it is read, whoever it is.
    pub fn handle_looking(&mut self, now: Micros, node: NodeId) {
        self.handle(now, |table| table.open(node));
    }
}
