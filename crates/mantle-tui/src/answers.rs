//! What was asked for is done, or refused.

use crate::app::App;
use crate::rows::{Row, Then, View};
use mantle_talk::{Answer, CommandNumber};

impl App {
    /// The answers to the last commands; what has been seen before changes nothing.
    pub(crate) fn handle_answers(&mut self, answers: &[(CommandNumber, Answer)]) {
        for (number, answer) in answers {
            if *number > self.own {
                self.own = *number;
                if let Answer::Done { inverse } = answer {
                    self.undo.extend(inverse.clone());
                }
                continue;
            }
            let Some(at) = self.waiting.iter().position(|(n, _)| n == number) else { continue };
            let (_, then) = self.waiting.remove(at);
            match answer {
                Answer::Refused { why } => self.message = Some(why.clone().into()),
                Answer::Done { inverse } => {
                    match then {
                        Then::Undone => self.redo.extend(inverse.clone()),
                        Then::Redone => self.undo.extend(inverse.clone()),
                        _ if inverse.is_some() => {
                            self.undo.extend(inverse.clone());
                            self.redo.clear();
                        }
                        _ => {}
                    }
                    if let Then::Open(slot, stage) = then {
                        self.row = Some(Row::Slot(slot));
                        self.stage = stage;
                        self.view = View::Stage;
                    }
                }
            }
        }
    }
}
