//! What somebody who does not look is told, and when: never more than one message a minute and kind, and none that is over.

use crate::path::{Mark, NewsKind, Sentence, Stage};
use crate::preferences::NewsChoice;
use crate::slot::SlotNumber;
use crate::time::Micros;
use std::collections::VecDeque;

/// A message of one kind: there is at most one of each.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Message {
    /// This is so now; it takes the place of the one before.
    Tell(NewsKind, String),
    /// It is over.
    Withdraw(NewsKind),
}

/// No two messages of a kind come within this time.
pub const APART: Micros = Micros::seconds(60);
/// What mends itself sooner is no news.
const LASTS: Micros = Micros::seconds(2);
/// Sentences in one message.
const TOLD: usize = 3;

/// What is wrong, whatever figures its sentence has.
type Fault = (Option<SlotNumber>, Option<Stage>, String);

/// One kind of news.
#[derive(Clone, Debug, Default)]
struct OfKind {
    /// What is wrong, and since when.
    now: Vec<(Fault, Micros)>,
    /// What has been said of it, or was seen.
    known: Vec<Fault>,
    /// When the last message went out.
    last: Option<Micros>,
    /// Whether one stands.
    stands: bool,
}

/// Decides what is told.
#[derive(Clone, Debug, Default)]
pub struct NewsDesk {
    lines: [OfKind; NewsKind::ALL.len()],
    out: VecDeque<Message>,
}

impl NewsDesk {
    /// What is said now; `looked` where somebody has a screen before them and sees it there.
    pub fn look(&mut self, now: Micros, sentences: &[Sentence], choice: &NewsChoice, looked: bool) {
        for kind in NewsKind::ALL {
            let own: Vec<&Sentence> = sentences.iter().filter(|sentence| sentence.news == Some(kind)).collect();
            let line = &mut self.lines[kind as usize];
            line.see(now, &own);
            if own.is_empty() || !choice.tells(kind) {
                (line.now, line.known) = Default::default();
                if std::mem::take(&mut line.stands) {
                    self.out.push_back(Message::Withdraw(kind));
                }
            } else if looked {
                line.known = line.now.iter().map(|(fault, _)| fault.clone()).collect();
            } else if line.due().is_some_and(|due| due <= now) {
                line.known = line.now.iter().map(|(fault, _)| fault.clone()).collect();
                (line.last, line.stands) = (Some(now), true);
                self.out.push_back(Message::Tell(kind, words(&own)));
            }
        }
    }

    /// When it wants to look again, if nothing changes before.
    #[must_use]
    pub fn due(&self) -> Option<Micros> {
        self.lines.iter().filter_map(OfKind::due).min()
    }

    /// Whose slots the news of a kind is about that was told last.
    #[must_use]
    pub fn slots_of(&self, kind: NewsKind) -> Vec<SlotNumber> {
        let mut slots: Vec<SlotNumber> =
            self.lines[kind as usize].known.iter().filter_map(|(slot, ..)| *slot).collect();
        slots.sort_unstable();
        slots.dedup();
        slots
    }

    /// The next message that goes out.
    pub fn poll(&mut self) -> Option<Message> {
        self.out.pop_front()
    }
}

impl OfKind {
    fn see(&mut self, now: Micros, sentences: &[&Sentence]) {
        let plain = |text: &str| text.chars().filter(|c| !c.is_ascii_digit()).collect::<String>();
        let faults: Vec<Fault> =
            sentences.iter().map(|sentence| (sentence.slot, sentence.stage, plain(&sentence.text))).collect();
        self.now.retain(|(fault, _)| faults.contains(fault));
        self.known.retain(|fault| faults.contains(fault));
        for fault in faults {
            if !self.now.iter().any(|(own, _)| *own == fault) {
                self.now.push((fault, now));
            }
        }
    }

    /// When there will be something that lasts, that nobody has been told of, and the last message will be long enough ago.
    fn due(&self) -> Option<Micros> {
        let fresh =
            self.now.iter().filter(|(fault, _)| !self.known.contains(fault)).map(|(_, since)| since.after(LASTS)).min();
        fresh.map(|fresh| self.last.map_or(fresh, |last| fresh.max(last.after(APART))))
    }
}

/// A few sentences, the most urgent first, and how many more there are.
fn words(sentences: &[&Sentence]) -> String {
    let mut sorted = sentences.to_vec();
    sorted.sort_by_key(|sentence| (sentence.mark != Mark::Stop, sentence.slot));
    let mut lines: Vec<String> = sorted.iter().take(TOLD).map(|sentence| sentence.text.clone()).collect();
    if let Some(more) = sentences.len().checked_sub(TOLD).filter(|more| *more > 0) {
        lines.push(format!("And {more} more."));
    }
    lines.join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn sentence(slot: u8, kind: NewsKind, text: &str) -> Sentence {
        let slot = SlotNumber::new(slot).expect("1 to 8");
        Sentence { mark: Mark::Doubt, text: text.into(), news: Some(kind), ..Sentence::well(slot) }
    }

    fn out(desk: &mut NewsDesk) -> Vec<Message> {
        std::iter::from_fn(|| desk.poll()).collect()
    }

    #[test]
    fn a_lasting_fault_notifies_once_and_is_withdrawn_when_fixed() {
        let (mut desk, choice) = (NewsDesk::default(), NewsChoice::default());
        let at = |s: u64, desk: &mut NewsDesk, silent: Option<u64>| {
            let said: Vec<Sentence> = silent
                .map(|s| sentence(1, NewsKind::Stops, &format!("Slot 1: it has been silent for {s} s.")))
                .into_iter()
                .collect();
            desk.look(Micros::seconds(s), &said, &choice, false);
            out(desk)
        };
        assert_eq!(at(1, &mut desk, Some(2)), []);
        assert_eq!(at(2, &mut desk, None), [], "what mends itself is no news");
        assert_eq!(at(3, &mut desk, Some(2)), []);
        let told = Message::Tell(NewsKind::Stops, "Slot 1: it has been silent for 4 s.".into());
        assert_eq!(at(5, &mut desk, Some(4)), [told]);
        for s in 6..200 {
            assert_eq!(at(s, &mut desk, Some(s)), [], "a silence that lasts on is no news");
        }
        assert_eq!(at(200, &mut desk, None), [Message::Withdraw(NewsKind::Stops)]);
        assert_eq!(at(201, &mut desk, None), []);
    }

    #[test]
    fn no_notification_while_a_screen_is_open_or_the_kind_is_off() {
        let (mut desk, mut choice) = (NewsDesk::default(), NewsChoice::default());
        let said = [sentence(2, NewsKind::Battery, "Slot 2: the battery is low.")];
        for s in 0..10 {
            desk.look(Micros::seconds(s), &said, &choice, true);
        }
        for s in 10..200 {
            desk.look(Micros::seconds(s), &said, &choice, false);
        }
        assert_eq!(out(&mut desk), [], "it was seen on the screen");
        let both = [said[0].clone(), sentence(3, NewsKind::Battery, "Slot 3: the battery is low.")];
        for s in 200..210 {
            desk.look(Micros::seconds(s), &both, &choice, false);
        }
        let text = "Slot 2: the battery is low.\nSlot 3: the battery is low.";
        assert_eq!(out(&mut desk), [Message::Tell(NewsKind::Battery, text.into())]);
        assert_eq!(desk.slots_of(NewsKind::Battery).iter().map(|slot| slot.number()).collect::<Vec<_>>(), [2, 3]);
        choice.set(NewsKind::Battery, false);
        desk.look(Micros::seconds(210), &both, &choice, false);
        assert_eq!(out(&mut desk), [Message::Withdraw(NewsKind::Battery)]);
        desk.look(Micros::seconds(400), &both, &choice, false);
        assert_eq!(out(&mut desk), []);
    }

    proptest! {
        /// Beside plain rules: no two messages of a kind within a minute, none of what nobody says, and at the end of a long
        /// trouble somebody has been told.
        #[test]
        fn notifications_are_rare_and_never_stale(faults in prop::collection::vec((0usize..5, 1u8..4, 0u64..300, 1u64..200), 0..12)) {
            let (mut desk, choice) = (NewsDesk::default(), NewsChoice::default());
            let mut last = [None::<u64>; 5];
            let mut stands = [false; 5];
            for s in 0..700u64 {
                let on = faults.iter().filter(|(_, _, from, long)| (*from..from + long).contains(&s));
                let mut said: Vec<Sentence> =
                    on.map(|(kind, slot, ..)| sentence(*slot, NewsKind::ALL[*kind], &format!("{kind} of {slot}"))).collect();
                said.dedup_by(|a, b| a.text == b.text);
                desk.look(Micros::seconds(s), &said, &choice, false);
                for message in out(&mut desk) {
                    match message {
                        Message::Tell(kind, text) => {
                            prop_assert!(last[kind as usize].is_none_or(|last| s - last >= 60), "two within a minute");
                            prop_assert!(said.iter().any(|one| one.news == Some(kind) && text.contains(&one.text)));
                            (last[kind as usize], stands[kind as usize]) = (Some(s), true);
                        }
                        Message::Withdraw(kind) => {
                            prop_assert!(std::mem::take(&mut stands[kind as usize]));
                        }
                    }
                }
                for kind in NewsKind::ALL {
                    let is = said.iter().any(|one| one.news == Some(kind));
                    prop_assert!(is || !stands[kind as usize], "a message of what is over stands");
                    let long = |(own, _, from, long): &&(usize, u8, u64, u64)| *own == kind as usize && s >= from + 62 && s < from + long;
                    if faults.iter().any(|fault| long(&fault)) {
                        prop_assert!(last[kind as usize].is_some(), "nobody was told");
                    }
                }
            }
        }
    }
}
