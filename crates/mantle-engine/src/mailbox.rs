//! The newest snapshot for one screen.

use mantle_core::command::{Answer, CommandNumber};
use mantle_talk::{CasePiece, HistoryAnswer, Snapshot};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// The most answers kept for a screen that takes nothing.
const ANSWERS: usize = 1000;
/// The most history answers kept for it.
const HISTORIES: usize = 64;

/// What has not been taken.
#[derive(Debug, Default)]
struct Letter {
    snapshot: Option<Arc<Snapshot>>,
    /// Answers that belong to it and to earlier snapshots that nobody took.
    answers: Vec<(CommandNumber, Answer)>,
    histories: Vec<HistoryAnswer>,
    case: Vec<CasePiece>,
}

/// The newest snapshot for a screen. A newer one replaces one that was not taken; answers are never lost that way.
#[derive(Clone)]
pub struct Mailbox {
    letter: Arc<Mutex<Letter>>,
    notify: Arc<dyn Fn() + Send + Sync>,
}

impl Mailbox {
    /// A mailbox that calls `notify` on the giver's thread after each delivery.
    pub fn new(notify: impl Fn() + Send + Sync + 'static) -> Self {
        Self { letter: Arc::default(), notify: Arc::new(notify) }
    }

    fn letter(&self) -> MutexGuard<'_, Letter> {
        self.letter.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes the newest snapshot, if there is one, with all answers since the last one taken.
    #[must_use]
    pub fn take(&self) -> Option<Arc<Snapshot>> {
        let (snapshot, answers) = {
            let mut letter = self.letter();
            (letter.snapshot.take()?, std::mem::take(&mut letter.answers))
        };
        if answers == snapshot.answers {
            return Some(snapshot);
        }
        let mut own = Arc::unwrap_or_clone(snapshot);
        own.answers = answers;
        Some(Arc::new(own))
    }

    /// Takes the history answers, oldest first.
    #[must_use]
    pub fn take_histories(&self) -> Vec<HistoryAnswer> {
        std::mem::take(&mut self.letter().histories)
    }

    /// Delivers a history answer.
    pub fn put_history(&self, answer: HistoryAnswer) {
        let mut letter = self.letter();
        if letter.histories.len() == HISTORIES {
            letter.histories.remove(0);
        }
        letter.histories.push(answer);
        drop(letter);
        (self.notify)();
    }

    /// Takes what there is of a case, in order.
    #[must_use]
    pub fn take_case(&self) -> Vec<CasePiece> {
        std::mem::take(&mut self.letter().case)
    }

    /// Delivers parts of a case; a new one replaces what was not taken of an old one.
    pub fn put_case(&self, pieces: Vec<CasePiece>) {
        let mut letter = self.letter();
        if matches!(pieces.first(), Some(CasePiece::Table(_))) {
            letter.case.clear();
        }
        letter.case.extend(pieces);
        drop(letter);
        (self.notify)();
    }

    /// Delivers a newer snapshot with these answers, including those already in it.
    pub fn put(&self, snapshot: Arc<Snapshot>, answers: Vec<(CommandNumber, Answer)>) {
        let mut letter = self.letter();
        letter.answers.extend(snapshot.answers.iter().cloned().chain(answers));
        let too_many = letter.answers.len().saturating_sub(ANSWERS);
        letter.answers.drain(..too_many);
        letter.snapshot = Some(snapshot);
        drop(letter);
        (self.notify)();
    }
}

impl std::fmt::Debug for Mailbox {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Mailbox")
    }
}
