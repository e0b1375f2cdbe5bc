//! Runs a roll call.

use crate::app::App;
use crate::keys::Call;
use crate::rows::Then;
use mantle_talk::{CallStep, Command, RollCallView, Target};

impl App {
    /// The running roll call, if it is the one shown.
    pub(crate) fn calling(&self) -> Option<&RollCallView> {
        self.snapshot.roll_call.as_ref().filter(|view| self.bound_slot() == Some(view.slot))
    }

    pub(crate) fn handle_call(&mut self, wanted: Call) {
        match wanted {
            Call::Begin => self.begin_call(),
            Call::Mark => {
                let target = self.target();
                match self.marked.iter().position(|own| *own == target) {
                    Some(at) => drop(self.marked.remove(at)),
                    None => self.marked.push(target),
                }
                self.step_target(true);
            }
            _ => self.step_call(wanted),
        }
    }

    fn begin_call(&mut self) {
        let Some(slot) = self.bound_slot() else {
            self.message = Some("a roll call starts in the Bindings view: B".into());
            return;
        };
        self.take_demo_in_hand();
        let targets: Vec<Target> = std::mem::take(&mut self.marked);
        self.command(Command::CallRoll { slot, targets }, Then::Nothing);
    }

    fn step_call(&mut self, wanted: Call) {
        let Some(view) = self.calling() else { return };
        let (over, asked) = (view.target.is_none(), view.question.is_some());
        let step = match (wanted, asked) {
            (Call::Enter, true) => CallStep::Move,
            (Call::Tab, true) => CallStep::Both,
            (Call::Enter, false) if !over => CallStep::Again,
            (Call::Backspace, true) => CallStep::Again,
            (Call::Tab, false) => CallStep::Skip,
            (Call::Backspace, false) => CallStep::Back,
            _ => {
                self.put_down();
                return self.command(Command::EndCall, Then::Nothing);
            }
        };
        self.command(Command::StepCall(step), Then::Nothing);
    }
}
