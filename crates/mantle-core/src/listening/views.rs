//! What each screen shows in detail, and what was seen of it.

use super::{Looking, Overheard};
use crate::command::Asker;
use crate::device::{DeviceId, NodeId};
use crate::pad::Trial;
use crate::session::Session;
use crate::slot::SlotNumber;
use crate::time::Micros;

/// What a screen shows in detail.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum OnView {
    /// The controls of a part of a device.
    Controls(DeviceId, u8),
    /// The pad of a slot.
    Pad(SlotNumber),
}

/// What was seen of it.
#[derive(Clone, Debug)]
pub enum View {
    /// A part's controls being watched.
    Controls(Box<Looking>),
    /// A slot's pad being tried.
    Pad(SlotNumber, Box<Trial>),
}

impl View {
    /// What it is about.
    #[must_use]
    pub fn of(&self) -> OnView {
        match self {
            Self::Controls(looking) => OnView::Controls(looking.device, looking.part),
            Self::Pad(slot, _) => OnView::Pad(*slot),
        }
    }
}

/// What all screens show in detail; what several share is watched once.
#[derive(Clone, Debug, Default)]
pub struct Views {
    shown: Vec<(Asker, OnView)>,
    seen: Vec<View>,
}

impl Views {
    /// Whether it needs reports.
    #[inline]
    #[must_use]
    pub fn hears(&self) -> bool {
        !self.seen.is_empty()
    }

    /// What a screen shows.
    #[must_use]
    pub fn shown_by(&self, asker: Asker) -> Option<OnView> {
        self.shown.iter().find(|(one, _)| *one == asker).map(|(_, what)| *what)
    }

    /// What was seen of something shown.
    #[must_use]
    pub fn get(&self, what: OnView) -> Option<&View> {
        self.seen.iter().find(|view| view.of() == what)
    }

    /// A screen shows this from now on; `view` is used if nobody shows it yet, or if it starts anew.
    pub fn show(&mut self, asker: Asker, view: View) {
        let what = view.of();
        self.seen.retain(|own| own.of() != what);
        self.seen.push(view);
        self.share(asker, what);
    }

    /// A screen shows what another one shows already.
    pub fn share(&mut self, asker: Asker, what: OnView) {
        self.shown.retain(|(one, _)| *one != asker);
        self.shown.push((asker, what));
        self.forget_unseen();
    }

    /// A screen shows nothing in detail any more.
    pub fn leave(&mut self, asker: Asker) {
        self.shown.retain(|(one, _)| *one != asker);
        self.forget_unseen();
    }

    /// The node is gone, and its view with it.
    pub fn forget_node(&mut self, node: NodeId) {
        let gone = |view: &View| matches!(view, View::Controls(looking) if looking.node == node);
        let of: Vec<OnView> = self.seen.iter().filter(|view| gone(view)).map(View::of).collect();
        self.shown.retain(|(_, what)| !of.contains(what));
        self.forget_unseen();
    }

    /// Starts all views anew by `begin`; those that cannot be are dropped.
    pub fn begin_anew(&mut self, begin: impl Fn(OnView) -> Option<View>) {
        self.seen = std::mem::take(&mut self.seen).into_iter().filter_map(|view| begin(view.of())).collect();
        let seen: Vec<OnView> = self.seen.iter().map(View::of).collect();
        self.shown.retain(|(_, what)| seen.contains(what));
    }

    fn forget_unseen(&mut self) {
        self.seen.retain(|view| self.shown.iter().any(|(_, what)| *what == view.of()));
    }

    /// A report has been read and played. `plays` is false while presses are not meant for the pad.
    pub fn handle_frame<'a>(
        &mut self,
        now: Micros,
        heard: &Overheard<'_>,
        plays: bool,
        session: impl Fn(SlotNumber) -> Option<&'a Session>,
    ) {
        for view in &mut self.seen {
            match view {
                View::Controls(looking) if looking.node == heard.node => {
                    looking.observed.handle_frame(now, heard.frame)
                }
                View::Pad(slot, trial) if plays => {
                    if let Some(session) = session(*slot) {
                        trial.handle(now, session.state(), session.lane_before_feel(), session.strokes());
                    }
                }
                View::Controls(_) | View::Pad(..) => {}
            }
        }
    }
}
