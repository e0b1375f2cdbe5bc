//! Where the newest snapshot lies for one screen.

use mantle_core::command::{Answer, CommandNumber};
use mantle_talk::{HistoryAnswer, Snapshot};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Answers that are kept for a screen that takes nothing.
const ANSWERS: usize = 1000;
/// Answers about what came that are kept for it.
const HISTORIES: usize = 64;

/// What has not been taken.
#[derive(Debug, Default)]
struct Letter {
    snapshot: Option<Arc<Snapshot>>,
    /// Answers that belong to it, and to those before it that nobody has taken.
    answers: Vec<(CommandNumber, Answer)>,
    histories: Vec<HistoryAnswer>,
}

/// Where the newest snapshot lies for a screen. What is not taken is replaced by what is newer; answers are never lost by that.
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

    /// Takes the newest snapshot, if there is one that was not taken, with all answers that have come since the last one was.
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

    /// Takes the answers about what came, oldest first.
    #[must_use]
    pub fn take_histories(&self) -> Vec<HistoryAnswer> {
        std::mem::take(&mut self.letter().histories)
    }

    /// An answer about what came is there.
    pub fn put_history(&self, answer: HistoryAnswer) {
        let mut letter = self.letter();
        if letter.histories.len() == HISTORIES {
            letter.histories.remove(0);
        }
        letter.histories.push(answer);
        drop(letter);
        (self.notify)();
    }

    /// A newer snapshot is there, and these answers with it; those that stand in it count as well.
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
