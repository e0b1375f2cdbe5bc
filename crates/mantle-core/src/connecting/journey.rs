//! One device's way to the table: pairing, trust, link, input device.

use super::{Dialogue, RadioAct, RadioDevice, RadioFault};
use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// How long pairing may take without a question, and with one.
const PAIRS: Micros = Micros::seconds(60);
const ASKS: Micros = Micros::seconds(90);
/// Trust concerns only this computer, so it is quick.
const TRUSTS: Micros = Micros::seconds(10);
/// How long a link may take to come up.
const LINKS: Micros = Micros::seconds(25);
/// How long a device that must connect by itself is waited for.
const CALLS: Micros = Micros::seconds(60);
/// How long after the link its input device may take.
const INPUT: Micros = Micros::seconds(8);
/// How long a link may take to go down.
const DROPS: Micros = Micros::seconds(5);
/// How often a link without an input device is dropped and taken up again.
const AGAIN: u8 = 2;

/// Where a device is on its way.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum JourneyStep {
    /// Pairing, perhaps with a question.
    Pairing(Option<Dialogue>),
    /// Being allowed to come back by itself.
    Trusting,
    /// The link is coming up.
    Linking,
    /// It must connect by itself, at the press of a button on it.
    Calling,
    /// The link is up; its input device is awaited.
    Awaiting,
    /// The link is up without an input device, and is being dropped to be taken up again.
    Dropping,
    /// Being removed, to be paired anew.
    Removing,
    /// It is there, readable at this node.
    There(String),
    /// It has failed.
    Failed(RadioFault),
}

/// What happens on the way.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum JourneyNews {
    /// The last request to the radio is done.
    Done,
    /// It has failed.
    Refused(RadioFault),
    /// The person is asked something.
    Asked(Dialogue),
    /// The person's answer: typed text, or yes; none means no.
    Answered(Option<String>),
    /// The link went up or down.
    Linked(bool),
    /// An input device appeared, at this node.
    Node(String),
    /// The person gives up.
    GivenUp,
    /// Remove it and pair it anew.
    Anew,
}

/// One device's way.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Journey {
    address: String,
    name: String,
    step: JourneyStep,
    /// The deadline of this step.
    until: Micros,
    linked: bool,
    known: bool,
    tries: u8,
}

impl Journey {
    /// Sets out. Returns the first request to the radio.
    #[must_use]
    pub fn begin(now: Micros, device: &RadioDevice) -> (Self, RadioAct) {
        let address = device.address.clone();
        let (step, within, act) = match device.paired {
            true => (JourneyStep::Trusting, TRUSTS, RadioAct::Trust(address.clone())),
            false => (JourneyStep::Pairing(None), PAIRS, RadioAct::Pair(address.clone())),
        };
        let (until, name) = (now.after(within), device.name.clone());
        (Self { address, name, step, until, linked: device.linked, known: device.paired, tries: 0 }, act)
    }

    /// The device's address.
    #[must_use]
    pub fn address(&self) -> &str {
        &self.address
    }

    /// The device's name.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Where it is.
    #[must_use]
    pub fn step(&self) -> &JourneyStep {
        &self.step
    }

    /// Whether it has ended.
    #[must_use]
    pub fn is_over(&self) -> bool {
        matches!(self.step, JourneyStep::There(_) | JourneyStep::Failed(_))
    }

    /// When it wants to be told the time; never once it has ended.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        (!self.is_over()).then_some(self.until)
    }

    /// The time left for this step.
    #[must_use]
    pub fn left(&self, now: Micros) -> Option<Micros> {
        self.deadline().map(|until| until.since(now))
    }

    fn to(&mut self, now: Micros, step: JourneyStep, within: Micros) {
        (self.step, self.until) = (step, now.after(within));
    }

    fn fail(&mut self, fault: RadioFault) {
        self.step = JourneyStep::Failed(fault);
    }

    /// Handles an event. Returns the next request to the radio.
    pub fn handle(&mut self, now: Micros, heard: JourneyNews) -> Option<RadioAct> {
        let address = || self.address.clone();
        match (&self.step, heard) {
            // Whatever else is going on, it can be read.
            (_, JourneyNews::Node(node)) if self.step != JourneyStep::Removing => {
                let paired = !matches!(self.step, JourneyStep::Pairing(_));
                self.step = JourneyStep::There(node);
                // An input device that came while pairing is not trusted yet.
                return (!paired).then(|| RadioAct::Trust(self.address.clone()));
            }
            (JourneyStep::Failed(_), JourneyNews::Anew) => {
                let act = RadioAct::Forget(address());
                self.to(now, JourneyStep::Removing, DROPS);
                return Some(act);
            }
            (JourneyStep::There(_) | JourneyStep::Failed(_), _) => return None,
            (JourneyStep::Pairing(_), JourneyNews::GivenUp) => {
                let act = RadioAct::Cancel(address());
                self.fail(RadioFault::Refused);
                return Some(act);
            }
            (_, JourneyNews::GivenUp) => self.fail(RadioFault::Refused),
            (_, JourneyNews::Linked(linked)) => return self.linked(now, linked),
            // Failing to trust a device is no reason to give up.
            (JourneyStep::Trusting, JourneyNews::Refused(_)) => return self.link(now),
            (_, JourneyNews::Refused(fault)) => self.refused(now, fault),
            (JourneyStep::Pairing(_), JourneyNews::Asked(dialogue)) => {
                self.to(now, JourneyStep::Pairing(Some(dialogue)), ASKS);
            }
            (JourneyStep::Pairing(Some(asked)), JourneyNews::Answered(answer)) => {
                // An impossible answer is asked for again.
                if answer.as_ref().is_some_and(|typed| !asked.takes(typed)) {
                    return None;
                }
                let act = RadioAct::Answer(address(), answer);
                self.to(now, JourneyStep::Pairing(None), PAIRS);
                return Some(act);
            }
            (JourneyStep::Pairing(_), JourneyNews::Done) => {
                let act = RadioAct::Trust(address());
                self.known = true;
                self.to(now, JourneyStep::Trusting, TRUSTS);
                return Some(act);
            }
            (JourneyStep::Trusting, JourneyNews::Done) => return self.link(now),
            (JourneyStep::Removing, JourneyNews::Done) => {
                let act = RadioAct::Pair(address());
                (self.known, self.linked, self.tries) = (false, false, 0);
                self.to(now, JourneyStep::Pairing(None), PAIRS);
                return Some(act);
            }
            // A link counts once it is up, not once it is promised.
            (_, JourneyNews::Done | JourneyNews::Asked(_) | JourneyNews::Answered(_) | JourneyNews::Anew) => {}
            (_, JourneyNews::Node(_)) => {}
        }
        None
    }

    /// Takes the link up, unless it is up.
    fn link(&mut self, now: Micros) -> Option<RadioAct> {
        if self.linked {
            self.to(now, JourneyStep::Awaiting, INPUT);
            return None;
        }
        self.to(now, JourneyStep::Linking, LINKS);
        Some(RadioAct::Link(self.address.clone()))
    }

    fn linked(&mut self, now: Micros, linked: bool) -> Option<RadioAct> {
        self.linked = linked;
        match (&self.step, linked) {
            (JourneyStep::Linking | JourneyStep::Calling, true) => self.to(now, JourneyStep::Awaiting, INPUT),
            (JourneyStep::Dropping, false) => return self.link(now),
            // The link went down by itself; it comes back by itself, or at the press of a button.
            (JourneyStep::Awaiting, false) => self.to(now, JourneyStep::Calling, CALLS),
            _ => {}
        }
        None
    }

    fn refused(&mut self, now: Micros, fault: RadioFault) {
        match (&self.step, &fault) {
            // Many devices only connect by themselves, and cannot be called meanwhile.
            (JourneyStep::Linking, fault) if self.known && fault.passes() => {
                self.to(now, JourneyStep::Calling, CALLS);
            }
            (JourneyStep::Awaiting | JourneyStep::Calling | JourneyStep::Dropping, _) => {}
            _ => self.fail(fault),
        }
    }

    /// Handles the time. Returns the next request to the radio.
    pub fn handle_time(&mut self, now: Micros) -> Option<RadioAct> {
        if self.deadline().is_none_or(|until| now < until) {
            return None;
        }
        let address = || self.address.clone();
        match self.step {
            JourneyStep::Pairing(_) => {
                let act = RadioAct::Cancel(address());
                self.fail(RadioFault::NoAnswer);
                Some(act)
            }
            JourneyStep::Awaiting if self.tries < AGAIN => {
                let act = RadioAct::Drop(address());
                self.tries += 1;
                self.to(now, JourneyStep::Dropping, DROPS);
                Some(act)
            }
            JourneyStep::Awaiting => {
                self.fail(RadioFault::NoInput);
                None
            }
            // A link that does not go down counts as gone.
            JourneyStep::Dropping => {
                self.linked = false;
                self.link(now)
            }
            JourneyStep::Linking if self.known => {
                self.to(now, JourneyStep::Calling, CALLS);
                None
            }
            JourneyStep::Calling => {
                self.fail(RadioFault::NotThere);
                None
            }
            JourneyStep::Linking | JourneyStep::Trusting | JourneyStep::Removing => {
                self.fail(RadioFault::NoAnswer);
                None
            }
            JourneyStep::There(_) | JourneyStep::Failed(_) => None,
        }
    }

    /// Where it is, in a sentence.
    #[must_use]
    pub fn sentence(&self) -> String {
        let name = &self.name;
        match &self.step {
            JourneyStep::Pairing(None) => format!("{name} is being paired."),
            JourneyStep::Pairing(Some(asked)) => asked.sentence(name),
            JourneyStep::Trusting => format!("{name} is paired and may reconnect by itself."),
            JourneyStep::Linking => format!("Connecting to {name}."),
            JourneyStep::Calling => format!("{name} has to connect by itself: press a button on it."),
            JourneyStep::Awaiting => format!("Connected to {name}: waiting for its input device."),
            JourneyStep::Dropping => format!("Connected to {name}, but it has no input device: connecting again."),
            JourneyStep::Removing => format!("Removing {name}, to pair it again."),
            JourneyStep::There(_) => format!("{name} is ready: press something on it."),
            JourneyStep::Failed(fault) => format!("{} {}", fault.sentence(name), fault.remedy()),
        }
    }
}
