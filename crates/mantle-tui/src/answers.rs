//! Handles the engine's answers: done, or refused.

use crate::app::App;
use crate::mode::Mode;
use crate::rows::{Message, Row, Then, View};
use mantle_talk::{Answer, CommandNumber};

impl App {
    /// Handles the answers to recent orders; those already seen change nothing.
    pub(crate) fn handle_answers(&mut self, answers: &[(CommandNumber, Answer)]) {
        for (number, answer) in answers {
            self.handle_answer(*number, answer);
        }
    }

    /// Handles one answer, and shows its message.
    pub fn handle_answer(&mut self, number: CommandNumber, answer: &Answer) {
        let Some(at) = self.waiting.iter().position(|(own, _)| *own == number) else { return };
        let (_, then) = self.waiting.remove(at);
        match answer {
            Answer::Refused { why } => {
                self.message = Some(Message::Attention(why.clone()));
                // A refused line comes back, so nothing typed is lost.
                if let Some(line) = self.last_line.take().filter(|_| then == Then::Typed && self.mode.is_view()) {
                    self.mode = Mode::Typing(line.standing());
                }
            }
            Answer::Done { said, inverse } => {
                if !said.is_empty() {
                    let back = match then {
                        _ if inverse.is_none() => "",
                        Then::Undone => "; U redoes it",
                        _ => "; u undoes it",
                    };
                    self.message = Some(Message::Done(format!("{said}{back}")));
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
