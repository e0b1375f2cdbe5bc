//! A connection to the running engine, for one verb.

use crate::exit::Exit;
use crate::say::{say, say_error};
use mantle_engine::{Comes, Mailbox};
use mantle_link::{Attached, Greeting, LinkFault, Place, attach};
use mantle_talk::{Answer, CasePiece, Command, CommandNumber, Order, Snapshot, Wish};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// How long to wait for the engine's answer.
const PATIENCE: Duration = Duration::from_secs(5);

/// A connection to the running engine.
pub(crate) struct Asked {
    attached: Attached,
    mailbox: Mailbox,
    news: Receiver<Option<String>>,
}

impl Asked {
    /// Connects to this account's engine, or says why it cannot.
    pub(crate) fn engine() -> Result<Self, Exit> {
        Self::come().map_err(|fault| {
            say_error!("placid-mantle: {fault}");
            if fault.is_nobody() { Exit::NoEngine } else { Exit::Failed }
        })
    }

    /// Connects to this account's engine if there is one that answers; otherwise says nothing.
    pub(crate) fn quietly() -> Option<Self> {
        let come = Self::come();
        if let Err(fault) = come.as_ref()
            && !fault.is_nobody()
        {
            say_error!("placid-mantle: {fault}");
        }
        come.ok()
    }

    fn come() -> Result<Self, LinkFault> {
        let (told, news) = channel();
        let ends = told.clone();
        let mailbox = Mailbox::new(move || {
            let _ = told.send(None);
        });
        let attached = attach(&Place::of_this_account()?, Comes::AsScript, mailbox.clone(), move |why| {
            let _ = ends.send(Some(why));
        })?;
        Ok(Self { attached, mailbox, news })
    }

    /// What the engine says of itself.
    pub(crate) fn greeting(&self) -> &Greeting {
        &self.attached.greeting
    }

    /// Asks the engine to end; returns whether it has, which is its answer.
    pub(crate) fn ends(&self) -> bool {
        self.attached.give(Order { number: CommandNumber(1), wish: Wish::Stop });
        let until = Instant::now() + PATIENCE;
        while let Ok(news) = self.news.recv_timeout(until.saturating_duration_since(Instant::now())) {
            if news.is_some() {
                return true;
            }
        }
        false
    }

    /// Gives an order without waiting for an answer.
    pub(crate) fn order(&self, wish: Wish) {
        self.attached.give(Order::unanswered(wish));
    }

    /// Waits for a snapshot that has what is asked for.
    pub(crate) fn wait<T>(&self, what: impl FnMut(&Snapshot) -> Option<T>) -> Result<T, Exit> {
        self.wait_until(Instant::now() + PATIENCE, what)?.ok_or_else(|| {
            let pid = self.attached.greeting.pid;
            say_error!("placid-mantle: the engine (process {pid}) does not answer: it is stopped, or very busy");
            Exit::Failed
        })
    }

    /// The same until a deadline.
    pub(crate) fn wait_until<T>(
        &self,
        until: Instant,
        mut what: impl FnMut(&Snapshot) -> Option<T>,
    ) -> Result<Option<T>, Exit> {
        loop {
            if let Some(found) = self.mailbox.take().and_then(|snapshot| what(&snapshot)) {
                return Ok(Some(found));
            }
            if !self.hears(until)? {
                return Ok(None);
            }
        }
    }

    /// Waits until something has come; returns false if nothing comes before the deadline.
    fn hears(&self, until: Instant) -> Result<bool, Exit> {
        match self.news.recv_timeout(until.saturating_duration_since(Instant::now())) {
            Ok(None) => Ok(true),
            Ok(Some(why)) => {
                say_error!("placid-mantle: {why}");
                Err(Exit::NoEngine)
            }
            Err(RecvTimeoutError::Timeout | RecvTimeoutError::Disconnected) => Ok(false),
        }
    }

    /// Everything that explains the table from afar, in pieces.
    pub(crate) fn case(&self, keyboards: bool) -> Result<Vec<CasePiece>, Exit> {
        self.order(Wish::Case(keyboards));
        let until = Instant::now() + 4 * PATIENCE;
        let mut pieces = Vec::new();
        loop {
            pieces.extend(self.mailbox.take_case());
            if matches!(pieces.last(), Some(CasePiece::End)) {
                return Ok(pieces);
            }
            if !self.hears(until)? {
                say_error!("placid-mantle: the engine did not send the whole case within 20 s");
                return Err(Exit::Failed);
            }
        }
    }

    /// The next snapshot.
    pub(crate) fn snapshot(&self) -> Result<Arc<Snapshot>, Exit> {
        self.wait(|snapshot| Some(Arc::new(snapshot.clone())))
    }

    /// Carries out a command. Returns what was done in words, or why it was refused.
    pub(crate) fn done(&self, command: Command) -> Result<Result<String, String>, Exit> {
        self.answered(Wish::Command(command))
    }

    /// The same for any order.
    pub(crate) fn answered(&self, wish: Wish) -> Result<Result<String, String>, Exit> {
        let number = CommandNumber(1);
        self.attached.give(Order { number, wish });
        let own = |snapshot: &Snapshot| snapshot.answers.iter().find(|(own, _)| *own == number).cloned();
        Ok(match self.wait(own)?.1 {
            Answer::Done { said, .. } => Ok(said),
            Answer::Refused { why } => Err(why),
        })
    }

    /// Carries out a command and prints the answer.
    pub(crate) fn command(&self, command: Command) -> Result<Exit, Exit> {
        Ok(match self.done(command)? {
            Ok(said) => {
                let said = if said.is_empty() { "done".to_owned() } else { said };
                say!("{said}");
                Exit::Fine
            }
            Err(why) => {
                say_error!("placid-mantle: {why}");
                Exit::Failed
            }
        })
    }
}
