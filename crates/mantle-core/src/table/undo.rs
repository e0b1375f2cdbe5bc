//! What has been done, and what takes it back: one list, whoever did it and by whichever screen.

use super::Table;
use crate::command::{Answer, Command, CommandNumber};
use crate::slot::SlotNumber;
use crate::time::Micros;

/// So many can be taken back; older ones are forgotten.
const MOST: usize = 256;

/// Which way something is turned.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Way {
    /// Taken back.
    Back,
    /// Done once more.
    Again,
}

/// Something that was done: what takes it back, and what it was.
#[derive(Clone, Debug)]
struct Step {
    inverse: Command,
    said: String,
}

/// What can be taken back, and what can be done once more.
#[derive(Clone, Debug, Default)]
pub(super) struct DoneList {
    past: Vec<Step>,
    future: Vec<Step>,
    /// What is being turned under these numbers, and has not been answered yet.
    turning: Vec<(CommandNumber, Way, Option<Step>)>,
}

impl DoneList {
    fn of(&mut self, way: Way) -> &mut Vec<Step> {
        match way {
            Way::Back => &mut self.past,
            Way::Again => &mut self.future,
        }
    }
}

impl Table {
    /// What would be taken back next, and what would be done once more, in words.
    #[must_use]
    pub fn turnable(&self) -> [Option<&str>; 2] {
        [&self.done.past, &self.done.future].map(|list| list.last().map(|step| step.said.as_str()))
    }

    /// Takes the last thing back, or does once more what was taken back last.
    pub(super) fn turn(
        &mut self,
        now: Micros,
        number: CommandNumber,
        way: Way,
        slot: Option<SlotNumber>,
    ) -> Result<Option<Command>, String> {
        let step = self.done.of(way).pop();
        let inverse = match (&step, slot) {
            (Some(step), _) => step.inverse.clone(),
            // What was changed before this start is kept with the profile.
            (None, Some(slot)) => Command::TakeBack { slot, again: way == Way::Again },
            (None, None) => {
                let nothing = if way == Way::Back { "nothing to undo" } else { "nothing to redo" };
                return Err(nothing.into());
            }
        };
        let known = step.is_some();
        self.done.turning.push((number, way, step));
        // One that is refused at once can never be done: what was before it can be taken back all the same.
        self.obey(now, number, inverse).inspect_err(|_| {
            if known {
                self.done.turning.retain(|(own, ..)| *own != number);
            }
        })
    }

    /// What was asked for under a number is done, or refused.
    pub(super) fn answer(&mut self, number: CommandNumber, result: Result<(String, Option<Command>), String>) {
        let turning = self.done.turning.iter().position(|(own, ..)| *own == number);
        let turned = turning.map(|at| self.done.turning.remove(at));
        let answer = match result {
            Ok((said, inverse)) => {
                let (list, said, shown) = match turned {
                    None => {
                        if inverse.is_some() {
                            self.done.future.clear();
                        }
                        (Way::Back, said.clone(), said)
                    }
                    Some((_, way, step)) => {
                        let what = step.map_or(said, |step| step.said);
                        match way {
                            Way::Back => (Way::Again, what.clone(), format!("undone: {what}")),
                            Way::Again => (Way::Back, what.clone(), format!("redone: {what}")),
                        }
                    }
                };
                if let Some(inverse) = inverse.clone() {
                    let list = self.done.of(list);
                    if list.len() == MOST {
                        list.remove(0);
                    }
                    list.push(Step { inverse, said });
                }
                Answer::Done { said: shown, inverse }
            }
            Err(why) => {
                // What could not be saved may be tried again.
                if let Some((_, way, Some(step))) = turned {
                    self.done.of(way).push(step);
                }
                Answer::Refused { why }
            }
        };
        self.answers.push_back((number, answer));
    }
}
