//! What a world answered when it was asked, to be answered again.

use super::Case;
use mantle_core::case::CaseEvent;
use mantle_core::device::NodeId;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Purpose;
use mantle_core::time::Micros;

/// An answer that came within this time belongs to the question.
const SOON: Micros = Micros::seconds(5);
/// Without one of its own, an answer comes after this time.
const AT_ONCE: Micros = Micros::millis(1);

/// What a case's world answers.
#[derive(Clone, Debug)]
pub struct Replies(Vec<(Micros, CaseEvent)>);

/// A question to a world.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Question {
    /// Open this node.
    Open(NodeId),
    /// Send this node something.
    Send(NodeId, Purpose),
    /// Cover the device with this node.
    Cover(NodeId),
    /// Make this slot's pad.
    Pad(SlotNumber),
    /// Make the nodes through which this slot types.
    Keys(SlotNumber),
    /// Can pads be made?
    Probe,
    /// What would a game see?
    Look,
    /// Is the machine ready?
    Ready,
}

impl Question {
    fn is_answered_by(self, event: &CaseEvent) -> bool {
        match (self, event) {
            (Self::Open(own), CaseEvent::Opened { node, .. }) | (Self::Cover(own), CaseEvent::Covered { node, .. }) => {
                own == *node
            }
            (Self::Send(own, what), CaseEvent::Sent { node, purpose, .. }) => own == *node && what == *purpose,
            (Self::Pad(own), CaseEvent::Pad { slot, .. }) | (Self::Keys(own), CaseEvent::Keys { slot, .. }) => {
                own == *slot
            }
            (Self::Probe, CaseEvent::Probed { .. })
            | (Self::Look, CaseEvent::Looked { .. })
            | (Self::Ready, CaseEvent::Ready { .. }) => true,
            _ => false,
        }
    }
}

impl Replies {
    /// Those of a case.
    #[must_use]
    pub fn of(case: &Case) -> Self {
        Self(case.event.iter().map(|timed| (Micros(timed.at), timed.event.clone())).collect())
    }

    /// The answer to a question that is asked at a moment, and when it comes: the next one that came then, or else
    /// the last one before. None if nobody ever asked.
    #[must_use]
    pub fn to(&self, question: Question, asked: Micros) -> Option<(Micros, &CaseEvent)> {
        let mut answers = self.0.iter().filter(|(_, event)| question.is_answered_by(event));
        let next = answers.clone().find(|(at, _)| *at >= asked && at.since(asked) < SOON);
        let before = || answers.clone().rfind(|(at, _)| *at < asked);
        let (at, event) = next.or_else(before).or_else(|| answers.next())?;
        Some((if *at >= asked { (*at).min(asked.after(SOON)) } else { asked.after(AT_ONCE) }, event))
    }
}
