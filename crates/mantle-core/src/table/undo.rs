//! Undo: what was done and its inverse, in one list, whoever did it and on whichever screen.

use super::Table;
use crate::command::{Answer, Command, CommandNumber};
use crate::slot::SlotNumber;
use crate::time::Micros;

/// The most steps that can be undone; older ones are forgotten.
const MOST: usize = 256;

/// The direction.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Way {
    /// Undo.
    Back,
    /// Redo.
    Again,
}

/// A step: its inverse, and what it was.
#[derive(Clone, Debug)]
struct Step {
    inverse: Command,
    said: String,
}

/// What can be undone, and what can be redone.
#[derive(Clone, Debug, Default)]
pub(super) struct DoneList {
    past: Vec<Step>,
    future: Vec<Step>,
    /// Steps being undone or redone under these numbers, not answered yet.
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
    /// What would be undone next, and what redone, in words.
    #[must_use]
    pub fn turnable(&self) -> [Option<&str>; 2] {
        [&self.done.past, &self.done.future].map(|list| list.last().map(|step| step.said.as_str()))
    }

    /// Undoes the last step, or redoes the one undone last.
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
            // Changes from before this start are kept with the profile.
            (None, Some(slot)) => Command::TakeBack { slot, again: way == Way::Again },
            (None, None) => {
                let nothing = if way == Way::Back { "nothing to undo" } else { "nothing to redo" };
                return Err(nothing.into());
            }
        };
        let known = step.is_some();
        self.done.turning.push((number, way, step));
        // A step that is refused at once can never be undone; the one before it still can.
        self.obey(now, number, inverse).inspect_err(|_| {
            if known {
                self.done.turning.retain(|(own, ..)| *own != number);
            }
        })
    }

    /// What was asked for under a number is done, or was refused.
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
                // A step that could not be saved may be tried again.
                if let Some((_, way, Some(step))) = turned {
                    self.done.of(way).push(step);
                }
                Answer::Refused { why }
            }
        };
        self.answers.push_back((number, answer));
    }
}
