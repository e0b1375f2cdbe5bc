//! The conversation: what is asked, and when it has been seen.

use super::{
    Confidence, Field, FieldFound, FieldProposal, Known, Label, State, Still, Take, Takes, Want, Wanted, propose,
};
use crate::time::Micros;

/// While no reports come, the last one is counted again this often: devices that send only changes are silent while held.
const TICK: Micros = Micros::millis(10);
/// Samples are at least this far apart: no hand is faster, and more would only cost time.
const APART: Micros = Micros::millis(4);
/// How long hands have to be off at the beginning.
const FIRST_REST: Micros = Micros::millis(2500);
/// How long each spell is recorded once it has begun.
const REST: Micros = Micros::millis(350);
const HELD: Micros = Micros::millis(350);
const MOVING: Micros = Micros::millis(2600);
/// How long a press, or a release, has to last before it counts: hands tremble, and springs do too.
const SETTLED: Micros = Micros::millis(180);
/// If it is not back at rest this long after it should have been released, its present state is taken for rest. Nobody is hurried.
const BACK: Micros = Micros::seconds(8);
/// How often hands off is asked for again because something moved, and a control because nothing followed it.
const PATIENCE: u32 = 3;
const ASKED_AGAIN: u32 = 2;
/// Samples kept of a spell.
const MOST: usize = 700;

/// What is asked of the person.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Ask {
    /// Touch nothing.
    HandsOff,
    /// Press anything once: the device sends nothing while nothing is touched.
    Touch,
    /// Do this, and hold it.
    Hold(Label),
    /// Let it go.
    LetGo,
    /// Move it slowly from end to end, or around.
    Move,
    /// Look at the proposal: accept it, or try again.
    Decide,
    /// Everything has been asked.
    Done,
}

/// A control confirmed by the person.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Confirmed {
    /// What was wanted.
    pub wanted: Wanted,
    /// Where it is.
    pub proposal: FieldProposal,
}

/// How far one control is: the spells still to come.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct FindingStep {
    /// The number of this spell, from 1.
    pub number: usize,
    /// How many there are.
    pub of: usize,
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum FindingPhase {
    /// Resting until this moment.
    Resting(Micros),
    /// Waiting for the spell to begin, and since when it seems to have begun.
    Waiting(Option<Micros>),
    /// It has begun, and is recorded until this moment.
    Taking(Micros),
    /// Waiting for rest: since when it rests, and when to give up.
    Returning(Option<Micros>, Micros),
    Deciding,
    Done,
}

/// A conversation about one device.
#[derive(Clone, Debug)]
pub struct FieldSearch {
    still: Still,
    wanted: Vec<Wanted>,
    /// What is asked for now.
    at: usize,
    confirmed: Vec<Confirmed>,
    takes: Takes,
    /// Which spell of the control this is.
    spell: usize,
    phase: FindingPhase,
    state: State,
    recent: Vec<State>,
    /// When the last report came, or was assumed.
    last: Micros,
    /// Something has come at all.
    heard: bool,
    /// When a sample was taken last.
    sampled: Micros,
    proposal: Option<FieldProposal>,
    asked_again: u32,
    /// How often rest turned out not to be rest, and what is said about it.
    disturbed: u32,
    remark: Option<String>,
    /// The last wait was in vain: something that does not come to rest is not waited for again.
    gave_up: bool,
}

impl FieldSearch {
    /// A conversation that begins now.
    #[must_use]
    pub fn new(still: Still, wanted: Vec<Wanted>, now: Micros) -> Self {
        Self {
            state: vec![0; still.shape().bytes()],
            still,
            wanted,
            at: 0,
            confirmed: Vec::new(),
            takes: vec![Take { label: Label::Rest, samples: Vec::new() }],
            spell: 0,
            phase: FindingPhase::Resting(now.after(FIRST_REST)),
            recent: Vec::new(),
            last: now,
            heard: false,
            sampled: Micros(0),
            proposal: None,
            asked_again: 0,
            disturbed: 0,
            remark: None,
            gave_up: false,
        }
    }

    /// What is asked now.
    #[must_use]
    pub fn ask(&self) -> Ask {
        match self.phase {
            FindingPhase::Done => Ask::Done,
            FindingPhase::Deciding => Ask::Decide,
            FindingPhase::Resting(until) if !self.heard && until <= self.last => Ask::Touch,
            FindingPhase::Resting(_) => Ask::HandsOff,
            FindingPhase::Returning(..) => Ask::LetGo,
            FindingPhase::Waiting(_) | FindingPhase::Taking(_) => match self.label() {
                Label::Moving => Ask::Move,
                label => Ask::Hold(label),
            },
        }
    }

    /// The control that is asked for.
    #[must_use]
    pub fn wanted(&self) -> Option<&Wanted> {
        self.wanted.get(self.at).filter(|_| self.phase != FindingPhase::Done)
    }

    /// All that are asked for.
    #[must_use]
    pub fn all(&self) -> &[Wanted] {
        &self.wanted
    }

    /// Which of them is being asked for.
    #[must_use]
    pub fn position(&self) -> usize {
        self.at
    }

    /// How far this control is.
    #[must_use]
    pub fn step(&self) -> FindingStep {
        FindingStep { number: self.spell + 1, of: self.spells().len() }
    }

    /// Whether the requested spell is being recorded.
    #[must_use]
    pub fn is_taking(&self) -> bool {
        matches!(self.phase, FindingPhase::Taking(_) | FindingPhase::Resting(_))
    }

    /// The proposal to decide about.
    #[must_use]
    pub fn proposal(&self) -> Option<&FieldProposal> {
        self.proposal.as_ref()
    }

    /// Why something is asked for once more.
    #[must_use]
    pub fn remark(&self) -> Option<&str> {
        self.remark.as_deref()
    }

    /// What has been confirmed.
    #[must_use]
    pub fn confirmed(&self) -> &[Confirmed] {
        &self.confirmed
    }

    /// What was recorded for the current control.
    #[must_use]
    pub fn takes(&self) -> &Takes {
        &self.takes
    }

    /// What the device does by itself.
    #[must_use]
    pub fn still(&self) -> &Still {
        &self.still
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        (!matches!(self.phase, FindingPhase::Deciding | FindingPhase::Done)).then(|| self.last.after(TICK))
    }

    /// Begins with what an earlier conversation confirmed: those controls are not asked for again.
    pub fn resume(&mut self, confirmed: Vec<Confirmed>) {
        self.confirmed = confirmed;
        self.skip_known();
    }

    /// A report has come, as hidraw delivers it.
    pub fn handle_report(&mut self, now: Micros, report: &[u8]) {
        self.handle_time(now);
        let Some(index) = self.still.shape().put(report, &mut self.state) else { return };
        // A device that is silent at rest has shown itself; now hands off is asked for.
        if !self.heard && self.ask() == Ask::Touch {
            self.phase = FindingPhase::Resting(now.after(FIRST_REST));
        }
        self.heard = true;
        let quiet = matches!(self.phase, FindingPhase::Resting(_)) && self.takes.len() == 1;
        self.still.offer(index, report, quiet);
        self.sample(now);
    }

    /// The time is at least this.
    pub fn handle_time(&mut self, now: Micros) {
        while self.deadline().is_some_and(|deadline| deadline <= now) {
            let due = self.last.after(TICK);
            self.sample(due);
        }
    }

    /// The person says that it was done as asked, although nothing was seen.
    pub fn handle_now(&mut self, now: Micros) {
        match self.phase {
            FindingPhase::Waiting(_) => self.begin(now),
            FindingPhase::Returning(..) => self.rest(now),
            _ => {}
        }
    }

    /// The proposal is right: it is kept, and the next control is asked for.
    pub fn accept(&mut self, now: Micros) {
        let (Some(wanted), Some(proposal)) = (self.wanted().cloned(), self.proposal.take()) else { return };
        if let Some(found) = &proposal.found {
            let fields = found.fields();
            for earlier in self.confirmed.iter_mut().filter_map(|one| one.proposal.found.as_mut()) {
                earlier.yield_to(&fields);
            }
            if let FieldFound::Value(field, _) = found {
                self.share(*field);
            }
            self.confirmed.push(Confirmed { wanted, proposal });
        }
        self.at += 1;
        self.next(now);
    }

    /// The control is left out.
    pub fn skip(&mut self, now: Micros) {
        if self.phase != FindingPhase::Done {
            self.at += 1;
            self.next(now);
        }
    }

    /// The control is asked for again. What was recorded is kept, so that more presses make it more certain, unless nothing at all was found.
    pub fn again(&mut self, now: Micros) {
        let nothing = self.proposal.take().is_none_or(|proposal| proposal.found.is_none());
        if nothing {
            self.takes.truncate(1);
        }
        self.asked_again += 1;
        self.spell = 0;
        self.phase = FindingPhase::Returning(None, now.after(BACK));
    }

    /// The previous control is asked for again; what was confirmed for it is forgotten.
    pub fn back(&mut self, now: Micros) {
        if self.at > 0 {
            self.at -= 1;
            let name = self.wanted[self.at].name.clone();
            self.confirmed.retain(|confirmed| confirmed.wanted.name != name);
            self.next_anyway(now);
        }
    }

    /// The spells of the current control.
    fn spells(&self) -> &'static [Label] {
        match self.wanted.get(self.at).map(|wanted| wanted.want) {
            Some(Want::Button) | None => &[Label::Held, Label::Held, Label::Held],
            Some(Want::Trigger) => &[Label::Held, Label::Held, Label::Moving],
            Some(Want::Stick) => &[Label::Low, Label::High, Label::Moving],
            Some(Want::DPad) => {
                &[Label::Toward(0), Label::Toward(1), Label::Toward(2), Label::Toward(3), Label::Moving]
            }
        }
    }

    fn label(&self) -> Label {
        self.spells().get(self.spell).copied().unwrap_or(Label::Held)
    }

    fn next(&mut self, now: Micros) {
        self.skip_known();
        self.next_anyway(now);
    }

    fn skip_known(&mut self) {
        while let Some(wanted) = self.wanted.get(self.at)
            && self.confirmed.iter().any(|confirmed| confirmed.wanted.name == wanted.name)
        {
            self.at += 1;
        }
    }

    fn next_anyway(&mut self, now: Micros) {
        self.proposal = None;
        self.asked_again = 0;
        (self.disturbed, self.remark, self.gave_up) = (0, None, false);
        self.takes.truncate(1);
        self.spell = 0;
        self.phase = match self.at < self.wanted.len() {
            true => FindingPhase::Returning(None, now.after(BACK)),
            false => FindingPhase::Done,
        };
    }

    fn sample(&mut self, now: Micros) {
        self.last = now;
        if !self.heard || now.since(self.sampled) < APART {
            return;
        }
        self.sampled = now;
        let window = self.still.window();
        self.recent.push(self.state.clone());
        if self.recent.len() > window {
            self.recent.drain(..self.recent.len() - window);
        }
        let stirs = window > 0 && self.recent.len() == window && self.still.stirs(&self.recent);
        match self.phase {
            // What moves while nothing should be touched is no rest, so it is not learnt as the device's own doing.
            FindingPhase::Resting(_) if stirs && self.takes.len() > 1 && !self.gave_up && self.disturbed < PATIENCE => {
                self.takes.pop();
                self.disturbed += 1;
                self.remark = Some("something moved: hands off again".into());
                self.phase = FindingPhase::Returning(None, now.after(BACK));
            }
            FindingPhase::Resting(until) => {
                self.keep();
                if until <= now && (self.takes.len() > 1 || self.still.is_known()) {
                    self.rested();
                }
            }
            FindingPhase::Waiting(since) => match (stirs, since) {
                (true, None) => self.phase = FindingPhase::Waiting(Some(now)),
                // A travel begins at once, a press once it has settled.
                (true, Some(_)) if self.label() == Label::Moving => self.begin(now),
                (true, Some(since)) if now.since(since) >= SETTLED => self.begin(now),
                (true, Some(_)) => {}
                (false, _) => self.phase = FindingPhase::Waiting(None),
            },
            FindingPhase::Taking(until) => {
                self.keep();
                if until <= now {
                    self.phase = FindingPhase::Returning(None, now.after(BACK));
                }
            }
            FindingPhase::Returning(since, give_up) => match (stirs, since) {
                _ if give_up <= now => {
                    self.gave_up = true;
                    self.rest(now);
                }
                (true, _) => self.phase = FindingPhase::Returning(None, give_up),
                (false, None) => self.phase = FindingPhase::Returning(Some(now), give_up),
                (false, Some(since)) if now.since(since) >= SETTLED => self.rest(now),
                (false, Some(_)) => {}
            },
            FindingPhase::Deciding | FindingPhase::Done => {}
        }
    }

    /// The spell has begun.
    fn begin(&mut self, now: Micros) {
        let label = self.label();
        self.takes.push(Take { label, samples: Vec::new() });
        self.phase = FindingPhase::Taking(now.after(if label == Label::Moving { MOVING } else { HELD }));
    }

    /// It is let go.
    fn rest(&mut self, now: Micros) {
        self.takes.push(Take { label: Label::Rest, samples: Vec::new() });
        self.phase = FindingPhase::Resting(now.after(REST));
    }

    fn keep(&mut self) {
        if let Some(take) = self.takes.last_mut().filter(|take| take.samples.len() < MOST) {
            take.samples.push(self.state.clone());
        }
    }

    /// A spell of rest is over.
    fn rested(&mut self) {
        let first = self.takes.len() == 1;
        if first && self.disturbed < PATIENCE {
            let samples = self.takes.last().map_or(&[][..], |take| &take.samples);
            if let Some(bit) = self.still.moved(samples) {
                self.disturbed += 1;
                self.remark = Some(format!("byte {} moved: hands off again", self.byte_words(bit / 8)));
                self.still.forget();
                self.takes[0].samples.clear();
                self.recent.clear();
                self.phase = FindingPhase::Resting(self.last.after(FIRST_REST));
                return;
            }
        }
        if std::mem::take(&mut self.disturbed) > 0 {
            self.remark = None;
        }
        if let Some(take) = self.takes.last() {
            self.still.learn(&take.samples);
        }
        let before = self.takes.iter().rev().nth(1).map(|take| take.label);
        if !first && before.is_some_and(|label| label != Label::Rest) {
            self.spell += 1;
        }
        if self.spell < self.spells().len() {
            self.phase = FindingPhase::Waiting(None);
            return;
        }
        self.still.look();
        let known = Known::of(self.confirmed.iter().filter_map(|one| one.proposal.found.as_ref()));
        let want = self.wanted[self.at].want;
        let proposal = propose(want, &self.takes, &self.still, &known);
        // Somebody has pressed something, so it is asked for again before saying that there is nothing.
        if proposal.found.is_none() && self.asked_again < ASKED_AGAIN {
            let now = self.last;
            self.again(now);
            self.remark = Some(format!("again: {}", proposal.reason));
            return;
        }
        (self.proposal, self.remark) = (Some(proposal), None);
        self.phase = FindingPhase::Deciding;
    }

    /// A byte of the state, as people find it in a report.
    fn byte_words(&self, byte: u32) -> String {
        let first = self.still.shape().report_of(byte);
        first.map_or_else(|| byte.to_string(), |(_, first)| (byte - first).to_string())
    }

    /// A number turned out to be shared by buttons, so those taken for bits of it are numbers as well.
    fn share(&mut self, field: Field) {
        let rest = self.takes.iter().rev().find(|take| take.label == Label::Rest).and_then(|take| take.samples.last());
        let Some(rest) = rest else { return };
        for earlier in self.confirmed.iter_mut().filter_map(|one| one.proposal.found.as_mut()) {
            let held = match earlier {
                FieldFound::Button(bit, low) if bit.meets(&field) => bit.put(rest, i32::from(!*low)),
                FieldFound::Value(old, value) if old.meets(&field) && *old != field => old.put(rest, *value),
                _ => continue,
            };
            *earlier = FieldFound::Value(field, field.of(&held));
        }
    }

    /// Whether a proposal is sure.
    #[must_use]
    pub fn is_sure(&self) -> bool {
        self.proposal.as_ref().is_some_and(|proposal| proposal.confidence == Confidence::High)
    }

    /// How often this control has been asked for again.
    #[must_use]
    pub fn asked_again(&self) -> u32 {
        self.asked_again
    }
}

#[cfg(test)]
#[path = "session_tests.rs"]
mod tests;
