//! The sequence of writes that wakes a device, with waits and expected answers.

use super::{Act, Sent};
use crate::device::OsFault;
use crate::time::Micros;
use mantle_hid::bits;
use std::sync::Arc;

/// A failed sequence starts again after this long, since a device may have been asleep.
pub const AGAIN_AFTER: Micros = Micros::seconds(5);
/// A write that has not come back after this long never will: the kernel gives up on a device that does not listen after some five seconds.
pub const WRITTEN_WITHIN: Micros = Micros::seconds(8);

/// One step of a start-up.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct StartUpStep {
    /// What is done.
    pub act: Act,
    /// What the device has to answer.
    pub answer: Option<ExpectedReply>,
    /// How long to wait before the next step.
    pub wait: Micros,
}

/// What a device has to answer: an input report, or what was requested.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct ExpectedReply {
    /// The bytes that it begins with; none for any byte.
    pub pattern: Vec<Option<u8>>,
    /// How long it may take.
    pub within: Micros,
}

impl ExpectedReply {
    /// Whether a report is this answer.
    #[must_use]
    pub fn fits(&self, report: &[u8]) -> bool {
        report.len() >= self.pattern.len()
            && self.pattern.iter().zip(report).all(|(wanted, byte)| wanted.is_none_or(|wanted| wanted == *byte))
    }
}

#[derive(Clone, PartialEq, Eq, Debug)]
enum StartUpPhase {
    /// The step is due at this moment.
    Due(Micros),
    /// It is being done; its answer may have come already.
    Doing { answered: bool, until: Micros },
    /// It is done, and its answer is awaited.
    Listening(Micros),
    /// All steps are done.
    Done,
    /// A step failed; everything starts again at this moment.
    Failed(Micros),
}

/// A start-up under way.
#[derive(Clone, Debug)]
pub struct StartUp {
    steps: Arc<[StartUpStep]>,
    at: usize,
    phase: StartUpPhase,
    /// Why the last attempt failed, until one succeeds.
    fault: Option<String>,
}

impl StartUp {
    /// A start-up that begins now.
    #[must_use]
    pub fn new(steps: Arc<[StartUpStep]>, now: Micros) -> Self {
        let phase = if steps.is_empty() { StartUpPhase::Done } else { StartUpPhase::Due(now) };
        Self { steps, at: 0, phase, fault: None }
    }

    /// Whether all steps are done.
    #[must_use]
    pub fn is_done(&self) -> bool {
        self.phase == StartUpPhase::Done
    }

    /// What is wrong, in words.
    #[must_use]
    pub fn fault(&self) -> Option<&str> {
        self.fault.as_deref()
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        match &self.phase {
            StartUpPhase::Due(at) | StartUpPhase::Listening(at) | StartUpPhase::Failed(at) => Some(*at),
            StartUpPhase::Doing { until, .. } => Some(*until),
            StartUpPhase::Done => None,
        }
    }

    /// The time is at least this; returns what to do now.
    pub fn poll(&mut self, now: Micros) -> Option<Act> {
        match &self.phase {
            StartUpPhase::Listening(until) if *until <= now => {
                let within = self.steps[self.at].answer.as_ref().map_or(Micros(0), |answer| answer.within);
                let how = format!("was not answered within {} ms", within.0 / 1000);
                self.fail(*until, &how);
                return self.poll(now);
            }
            StartUpPhase::Doing { until, .. } if *until <= now => {
                let how = format!("did not come back within {} s", WRITTEN_WITHIN.0 / 1_000_000);
                self.fail(*until, &how);
                return self.poll(now);
            }
            StartUpPhase::Failed(again) if *again <= now => {
                self.at = 0;
                self.phase = StartUpPhase::Due(*again);
            }
            _ => {}
        }
        match self.phase {
            StartUpPhase::Due(at) if at <= now => {
                self.phase = StartUpPhase::Doing { answered: false, until: now.after(WRITTEN_WITHIN) };
                Some(self.steps[self.at].act.clone())
            }
            _ => None,
        }
    }

    /// What came of the act.
    pub fn handle_sent(&mut self, now: Micros, result: Result<Sent, OsFault>) {
        let StartUpPhase::Doing { answered, .. } = self.phase else { return };
        let step = &self.steps[self.at];
        match (result, &step.answer) {
            (Err(fault), _) => self.fail(now, &format!("was refused ({})", fault.name())),
            (Ok(Sent::NotNeeded), _) => self.finish(),
            (Ok(Sent::Got(bytes)), Some(answer)) if !answer.fits(&bytes) => {
                let first = bits::hex(&bytes[..bytes.len().min(8)]);
                self.fail(now, &format!("returned {first}, which is not what its sheet expects"));
            }
            (Ok(Sent::Done), Some(answer)) if !answered => {
                self.phase = StartUpPhase::Listening(now.after(answer.within))
            }
            (Ok(_), _) => self.advance(now),
        }
    }

    /// A report has come; returns whether it was the answer.
    pub fn handle_report(&mut self, now: Micros, bytes: &[u8]) -> bool {
        let waiting = matches!(self.phase, StartUpPhase::Doing { answered: false, .. } | StartUpPhase::Listening(_));
        let step = self.steps.get(self.at).filter(|step| waiting && matches!(step.act, Act::Send(..)));
        let fits = step.and_then(|step| step.answer.as_ref()).is_some_and(|answer| answer.fits(bytes));
        match self.phase {
            StartUpPhase::Doing { until, .. } if fits => self.phase = StartUpPhase::Doing { answered: true, until },
            StartUpPhase::Listening(_) if fits => self.advance(now),
            _ => {}
        }
        fits
    }

    fn advance(&mut self, now: Micros) {
        let wait = self.steps[self.at].wait;
        self.at += 1;
        if self.at == self.steps.len() {
            self.finish();
        } else {
            self.phase = StartUpPhase::Due(now.after(wait));
        }
    }

    fn finish(&mut self) {
        self.phase = StartUpPhase::Done;
        self.fault = None;
    }

    fn fail(&mut self, now: Micros, how: &str) {
        let (step, all) = (self.at + 1, self.steps.len());
        let what = self.steps[self.at].act.words();
        self.fault = Some(format!("start-up write {step} of {all} ({what}) {how}"));
        self.phase = StartUpPhase::Failed(now.after(AGAIN_AFTER));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_hid::ReportKind::{Feature, Output};

    fn hello() -> Arc<[StartUpStep]> {
        let answer = ExpectedReply { pattern: vec![Some(3), None, Some(9)], within: Micros::millis(200) };
        let hello = Act::Send(Output, vec![2, 1]);
        let go = Act::Send(Feature, vec![4, 1]);
        [
            StartUpStep { act: hello, answer: Some(answer), wait: Micros::millis(20) },
            StartUpStep { act: go, answer: None, wait: Micros(0) },
        ]
        .into()
    }

    #[test]
    fn a_write_that_never_returns_is_reported_and_retried() {
        let mut start = StartUp::new(hello(), Micros(0));
        assert!(start.poll(Micros(0)).is_some());
        assert_eq!(start.deadline(), Some(WRITTEN_WITHIN));
        assert_eq!(start.poll(WRITTEN_WITHIN), None);
        let fault = start.fault().expect("it is said").to_owned();
        assert!(fault.contains("write 1 of 2") && fault.contains("did not come back within 8 s"), "{fault}");
        let again = WRITTEN_WITHIN.after(AGAIN_AFTER);
        assert_eq!(start.deadline(), Some(again));
        assert!(start.poll(again).is_some(), "it is tried again");
        // What comes back from the first attempt now counts for the second, since they are the same.
        start.handle_sent(again.after(Micros(1)), Ok(Sent::Done));
        assert!(start.handle_report(again.after(Micros(2)), &[3, 7, 9, 0]));
    }

    #[test]
    fn start_up_runs_step_by_step_with_waits_and_answers() {
        let mut start = StartUp::new(hello(), Micros(10));
        assert_eq!(start.poll(Micros(9)), None);
        assert_eq!(start.poll(Micros(10)), Some(Act::Send(Output, vec![2, 1])));
        assert_eq!(start.poll(Micros(11)), None, "one at a time");
        start.handle_sent(Micros(1_000), Ok(Sent::Done));
        assert!(!start.handle_report(Micros(1_500), &[1, 0, 9]), "a report, but not the answer");
        assert!(start.handle_report(Micros(2_000), &[3, 7, 9, 0]));
        assert_eq!(start.deadline(), Some(Micros(22_000)));
        assert_eq!(start.poll(Micros(22_000)), Some(Act::Send(Feature, vec![4, 1])));
        start.handle_sent(Micros(22_500), Ok(Sent::Done));
        assert!(start.is_done() && start.fault().is_none() && start.deadline().is_none());
    }

    #[test]
    fn an_answer_may_be_read_before_the_write_returns() {
        let mut start = StartUp::new(hello(), Micros(0));
        start.poll(Micros(0));
        assert!(start.handle_report(Micros(100), &[3, 0, 9]));
        start.handle_sent(Micros(200), Ok(Sent::Done));
        assert!(start.poll(Micros(20_200)).is_some());
    }

    #[test]
    fn refusals_and_silence_are_reported_and_tried_again() {
        let mut start = StartUp::new(hello(), Micros(0));
        start.poll(Micros(0));
        start.handle_sent(Micros(0), Ok(Sent::Done));
        assert_eq!(start.poll(Micros(200_000)), None);
        let said = "start-up write 1 of 2 (output report 02 01) was not answered within 200 ms";
        assert_eq!(start.fault(), Some(said));
        assert_eq!(start.deadline(), Some(Micros(5_200_000)));
        assert!(start.poll(Micros(5_200_000)).is_some());
        assert_eq!(start.fault(), Some(said), "until it is better");
        let fault = OsFault { operation: "writing".into(), path: "/dev/hidraw0".into(), errno: 32 };
        start.handle_sent(Micros(5_200_000), Err(fault));
        assert_eq!(start.fault(), Some("start-up write 1 of 2 (output report 02 01) was refused (EPIPE)"));
        start.poll(Micros(20_000_000));
        start.handle_sent(Micros(20_000_000), Ok(Sent::NotNeeded));
        assert!(start.is_done() && start.fault().is_none());
    }

    #[test]
    fn requests_must_fit_the_report() {
        let answer = ExpectedReply { pattern: vec![Some(5), Some(1)], within: Micros::seconds(1) };
        let steps = [StartUpStep { act: Act::Get { report: 5, length: 3 }, answer: Some(answer), wait: Micros(0) }];
        let mut start = StartUp::new(steps.into(), Micros(0));
        start.poll(Micros(0));
        start.handle_sent(Micros(1), Ok(Sent::Got(vec![5, 2, 0])));
        let said = "start-up write 1 of 1 (feature report 05 asked for) returned 05 02 00, which is not what its sheet expects";
        assert_eq!(start.fault(), Some(said));
        start.poll(Micros(6_000_000));
        start.handle_sent(Micros(6_000_001), Ok(Sent::Got(vec![5, 1, 0])));
        assert!(start.is_done());
    }
}
