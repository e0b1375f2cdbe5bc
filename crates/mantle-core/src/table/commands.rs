//! Commands: carried out or refused.

use super::Table;
use super::undo::Way;
use crate::binding::ProfileAct;
use crate::command::{Command, CommandNumber};
use crate::listening::Listening;
use crate::session::{AFTER, Assist, ONLY};
use crate::time::Micros;

impl Table {
    /// Carries out a command: done, with its inverse, or refused.
    pub(super) fn obey(
        &mut self,
        now: Micros,
        number: CommandNumber,
        command: Command,
    ) -> Result<Option<Command>, String> {
        match command {
            Command::Kind { slot, kind } => self.change_kind(now, slot, kind),
            Command::SetFeedback { slot, feedback } => self.set_feedback(slot, feedback),
            Command::FindDevice { device } => self.find(now, device).map(|()| None),
            Command::Nudge { slot, shakes, blinks } => {
                self.nudge(now, slot, shakes, blinks);
                Ok(None)
            }
            Command::Place { device, part, slot, kind, profile } => self.place(now, device, part, slot, kind, profile),
            Command::Move { from, to } => {
                self.end_call(now);
                self.move_slot(now, from, to)
            }
            Command::TakeOut { slot } => {
                self.end_call(now);
                self.take_out(now, number, slot)
            }
            Command::Restore { slot, taken_out } => {
                let at = self.trash.iter().position(|(n, _)| *n == taken_out).ok_or("nothing to restore")?;
                if self.slots.get(slot).is_some() {
                    return Err(format!("{slot} is in use: take it out first"));
                }
                self.has_no_other_place(&self.trash[at].1.members)?;
                let (_, remembered) = self.trash.remove(at);
                for key in &remembered.members {
                    self.seating.kept.taken_out.retain(|other| !other.same_device(key));
                }
                self.restore_slot(now, remembered);
                self.seat_waiting(now);
                Ok(Some(Command::TakeOut { slot }))
            }
            Command::Tie { device, part, slot } => self.tie(now, device, part, slot),
            Command::SameDevice { device, part, slot } => self.same_device(now, device, part, slot),
            Command::OtherDevice { device, part } => self.other_device(now, device, part),
            Command::Lend { device, part, slot } => self.lend(now, device, part, slot),
            Command::Untie { slot, member, back } => self.untie(now, number, slot, member, back),
            Command::TieAgain { slot, untied } => self.tie_again(now, slot, untied),
            Command::LetGo => {
                self.set_paused(now, true, Some("from here".into()));
                Ok(Some(Command::Resume))
            }
            Command::Resume => {
                self.set_paused(now, false, None);
                Ok(Some(Command::LetGo))
            }
            Command::PauseSlot { slot, paused } => self.pause_slot(now, slot, paused, "from here"),
            Command::LetType { slot, allowed } => self.let_type(slot, allowed),
            Command::HaveScreen(has) => {
                self.screen = has;
                Ok(None)
            }
            Command::TypeHere(here) => {
                let before = std::mem::replace(&mut self.types_here, here);
                Ok(Some(Command::TypeHere(before)))
            }
            Command::ChooseFeel { slot, which, knob } => self.choose_feel(slot, which, knob).map(|()| None),
            Command::Nickname { device, name } => self.nickname(now, device, &name),
            Command::Lock(locked) => Ok(self.lock(now, locked)),
            Command::AskToSit(asks) => self.ask_to_sit(now, asks),
            Command::SitByTwo(always) => Ok(self.sit_by_two(always)),
            Command::LeaveToGame { device, left } => self.leave_to_game(now, device, left),
            Command::TakePointer { device, taken } => self.take_pointer(now, device, taken),
            Command::FlipFeel { slot } => self.flip(now, slot).map(|()| None),
            Command::MeasureFeel(what) => self.measure(now, what).map(|()| None),
            Command::WalkOutput { slot, which } => self.walk(now, slot, which).map(|()| None),
            Command::EndWalk { slot, moved } => self.end_walk(now, number, slot, moved).map(|()| None),
            Command::SendOnly { slot, target } => {
                let assist = target.map(|target| Assist::Only(target, now.after(ONLY)));
                self.help(now, slot, assist).map(|()| None)
            }
            Command::PressFor { slot, target } => {
                self.help(now, slot, Some(Assist::Press(target, now.after(AFTER)))).map(|()| None)
            }
            Command::CoverAnew { device } => self.cover_anew(device).map(|()| None),
            Command::Connect(act) => self.connect(now, act).map(|()| None),
            Command::Rule(act) => self.change_rule(number, act).map(|()| None),
            Command::PlayFor { pid, called, rule } => self.play_for(pid, called, rule).map(|()| None),
            Command::Look => {
                self.look_now(now);
                Ok(None)
            }
            Command::TryPad { slot, again } => self.try_pad(now, number.asker(), slot, again).map(|()| None),
            Command::LookAt(what) => self.look_at(now, number.asker(), what).map(|()| None),
            Command::Calibrate { device, part } => self.calibrate(now, device, part).map(|()| None),
            Command::StepCalibration(step) => self.step_calibration(now, step),
            Command::SetCalibration { device, part, axes } => self.set_calibration(now, device, part, axes),
            Command::PassOn { device, on } => self.pass_on(now, device, on),
            Command::Undo { slot } => self.turn(now, number, Way::Back, slot),
            Command::Redo { slot } => self.turn(now, number, Way::Again, slot),
            Command::Edit { slot, changes } => self.edit(number, slot, ProfileAct::Change(changes)).map(|()| None),
            Command::Amend { slot, changes } => self.edit(number, slot, ProfileAct::Amend(changes)).map(|()| None),
            Command::PlayBy { slot, profile } => self.play_by(now, slot, &profile),
            Command::NewProfile { slot, like } => self.new_profile(number, slot, like).map(|()| None),
            Command::ProfileStore(act) => self.shelve(number, act).map(|()| None),
            Command::TakeBack { slot, again } => {
                let act = if again { ProfileAct::Again } else { ProfileAct::Back };
                self.edit(number, slot, act).map(|()| None)
            }
            Command::Listen { slot, target } => self.listen(now, slot, target).map(|()| None),
            Command::CallRoll { slot, targets } => self.call_roll(now, slot, &targets).map(|()| None),
            Command::StepCall(step) => self.step_call(now, step).map(|()| None),
            Command::EndCall => {
                self.end_call(now);
                Ok(None)
            }
            Command::StopListening => {
                self.end_listening(now, |own| matches!(own, Listening::Press(_)));
                Ok(None)
            }
        }
    }
}
