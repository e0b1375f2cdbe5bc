//! What happened lately.

use super::CaseEvent;
use crate::device::NodeId;
use crate::slot::Remembered;
use crate::table::Purpose;
use crate::time::Micros;
use std::collections::{BTreeMap, VecDeque};

/// How far back a case goes.
pub const CASE_SPAN: Micros = Micros::seconds(60);
/// Beyond so many entries, old ones are dropped that mean nothing any more.
const MANY: usize = 1000;
/// The most entries: whoever floods it loses the beginning.
const MOST: usize = 8000;

/// The most changes of who sits where that are kept.
const SEATS: usize = 200;

/// Of events with the same subject, the latest one before the span counts.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
enum Subject {
    Arrived(NodeId),
    Inputs(NodeId),
    Power(NodeId),
    Opened(NodeId),
    Sent(NodeId, Purpose),
    Covered(NodeId),
    Pad(u8),
    Keys(u8),
    Probed,
    Looked,
    Ready,
    Running,
    Front,
    Sleep,
}

impl Subject {
    /// What an event says something lasting about; none if it is over at once.
    fn of(event: &CaseEvent) -> Option<Self> {
        Some(match event {
            CaseEvent::Arrived { facts } => Self::Arrived(facts.node),
            CaseEvent::Inputs { node, .. } => Self::Inputs(*node),
            CaseEvent::Power { node, .. } => Self::Power(*node),
            CaseEvent::Opened { node, .. } => Self::Opened(*node),
            CaseEvent::Sent { node, purpose, .. } => Self::Sent(*node, *purpose),
            CaseEvent::Covered { node, .. } => Self::Covered(*node),
            CaseEvent::Pad { slot, .. } | CaseEvent::PadLost { slot, .. } => Self::Pad(slot.number()),
            CaseEvent::Keys { slot, .. } => Self::Keys(slot.number()),
            CaseEvent::Probed { .. } => Self::Probed,
            CaseEvent::Looked { .. } => Self::Looked,
            CaseEvent::Ready { .. } => Self::Ready,
            CaseEvent::Running { .. } => Self::Running,
            CaseEvent::Front { .. } => Self::Front,
            CaseEvent::Sleep { .. } => Self::Sleep,
            CaseEvent::Gone { .. } | CaseEvent::Changed { .. } | CaseEvent::CoverAgain { .. } => return None,
        })
    }

    fn node(self) -> Option<NodeId> {
        match self {
            Self::Arrived(node)
            | Self::Inputs(node)
            | Self::Power(node)
            | Self::Opened(node)
            | Self::Sent(node, _)
            | Self::Covered(node) => Some(node),
            _ => None,
        }
    }
}

/// What happened within the last minute, and what still holds from before it.
#[derive(Clone, Debug, Default)]
pub struct CaseLog {
    entries: VecDeque<(Micros, CaseEvent)>,
    /// Above this it is pruned.
    full: usize,
    /// When that was done last.
    pruned: Micros,
}

impl CaseLog {
    /// Something happened.
    pub fn note(&mut self, at: Micros, event: CaseEvent) {
        self.entries.push_back((at, event));
        // Looks at the system are large, and rare.
        if self.entries.len() > self.full.max(MANY) || at.since(self.pruned) >= CASE_SPAN {
            self.pruned = at;
            self.entries = self.since(Micros(at.0.saturating_sub(CASE_SPAN.0))).into();
            let more = self.entries.len().saturating_sub(MOST);
            self.entries.drain(..more);
            self.full = (2 * self.entries.len()).min(MOST);
        }
    }

    /// What happened from a moment on, and before that whatever still held then, in order.
    #[must_use]
    pub fn since(&self, from: Micros) -> Vec<(Micros, CaseEvent)> {
        let before = self.entries.iter().take_while(|(at, _)| *at < from).count();
        let mut holds: BTreeMap<Subject, usize> = BTreeMap::new();
        for (index, (_, event)) in self.entries.iter().take(before).enumerate() {
            if let CaseEvent::Gone { node } = event {
                holds.retain(|subject, _| subject.node() != Some(*node));
            }
            if let Some(subject) = Subject::of(event) {
                holds.insert(subject, index);
            }
        }
        let mut kept: Vec<usize> = holds.into_values().collect();
        kept.sort_unstable();
        kept.extend(before..self.entries.len());
        kept.into_iter().map(|index| self.entries[index].clone()).collect()
    }
}

/// Who sat where within the last minute.
#[derive(Clone, Debug, Default)]
pub struct SeatLog {
    known: VecDeque<(Micros, Remembered)>,
    /// When the person last gave a command.
    commanded: Option<Micros>,
}

impl SeatLog {
    /// This is remembered from now on.
    pub fn note(&mut self, at: Micros, remembered: Remembered) {
        // The first one older than a minute still counts.
        while self.known.len() > SEATS || self.known.get(1).is_some_and(|(next, _)| at.since(*next) > CASE_SPAN) {
            self.known.pop_front();
        }
        self.known.push_back((at, remembered));
    }

    /// Whether nothing is known yet.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.known.is_empty()
    }

    /// The person gave a command.
    pub fn handle_command(&mut self, at: Micros) {
        self.commanded = Some(at);
    }

    /// What a case begins with that starts at a moment: commands are not repeated, so what they changed is there from the beginning.
    #[must_use]
    pub fn at(&self, from: Micros) -> Remembered {
        let known = match self.commanded {
            Some(commanded) if commanded >= from => self.known.back(),
            _ => self.known.iter().rfind(|(at, _)| *at <= from).or_else(|| self.known.front()),
        };
        known.map(|(_, remembered)| remembered.clone()).unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::case::CaseNode;
    use crate::device::{NodeFacts, OsFault};

    fn arrived(node: u16) -> CaseEvent {
        let facts = NodeFacts {
            id: NodeId(node),
            path: format!("/dev/hidraw{node}"),
            identity: Default::default(),
            kind: Default::default(),
            driver: Default::default(),
            descriptor: Vec::new(),
            inputs: Vec::new(),
            driven: Default::default(),
            connection: Default::default(),
            sysfs: String::new(),
        };
        CaseEvent::Arrived { facts: Box::new(CaseNode::of(&facts)) }
    }

    fn opened(node: u16, errno: i32) -> CaseEvent {
        let fault = OsFault { operation: "open".into(), path: String::new(), errno };
        CaseEvent::Opened { node: NodeId(node), fault: (errno != 0).then_some(fault) }
    }

    #[test]
    fn state_from_before_is_kept_and_the_last_minute_is_complete() {
        let mut log = CaseLog::default();
        let gone = |node| CaseEvent::Gone { node: NodeId(node) };
        let long_ago = [arrived(0), arrived(1), opened(0, 13), opened(1, 0), opened(0, 0), gone(1), arrived(2)];
        for (second, event) in long_ago.iter().enumerate() {
            log.note(Micros::seconds(second as u64), event.clone());
        }
        assert_eq!(log.since(Micros(0)).len(), long_ago.len(), "from the beginning on, all is there");
        let lately = [gone(0), arrived(0), opened(0, 16)];
        for (second, event) in lately.iter().enumerate() {
            log.note(Micros::seconds(100 + second as u64), event.clone());
        }
        let kept: Vec<CaseEvent> = log.since(Micros::seconds(50)).into_iter().map(|(_, event)| event).collect();
        let held = [arrived(0), opened(0, 0), arrived(2)];
        assert_eq!(kept, [held.as_slice(), &lately].concat());
    }

    #[test]
    fn a_long_log_stays_small_and_keeps_the_devices_present() {
        let mut log = CaseLog::default();
        log.note(Micros(0), arrived(7));
        for second in 0..100_000 {
            log.note(Micros::seconds(second), CaseEvent::Changed { node: NodeId(7) });
            // What is older is dropped once a minute, however few there are.
            assert!(log.entries.len() <= 2 * 60 + 2, "{}", log.entries.len());
        }
        assert_eq!(log.since(Micros::seconds(100_000)), [(Micros(0), arrived(7))]);
        // A flood within a minute is bounded, too.
        for moment in 0..20_000 {
            log.note(Micros(100_000_000_000 + moment), CaseEvent::Changed { node: NodeId(7) });
            assert!(log.entries.len() <= MOST + 1, "{}", log.entries.len());
        }
    }
}
