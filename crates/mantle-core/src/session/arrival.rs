//! What counts at the first report: one rule, for axes and buttons alike.
//!
//! *Sticks* play from their declared middle at once. One that has stood in an end quarter since its first report for [`STANDS`],
//! while [`REPORTS`] reports came or [`OTHERS`] other controls changed, is held back until it is seen in the middle: nobody holds
//! a stick like that, it is worn or no stick.
//!
//! *Buttons, hats, triggers and pedals* that the first report shows down (triggers: over a quarter) play if that report came more
//! than [`AT_ONCE`] after the node was opened: it is a change then. Otherwise they were down before, and count only once they have
//! been seen up.

use crate::binding::doubtful_pair;
use crate::control::{Carried, Control, ControlKind, ControlNumber, PartLayout, Place, Zone};
use crate::planted::planted;
use crate::time::Micros;
use mantle_hid::{Frame, VALUES, WORDS};

/// A first report within this of opening the node tells how the device stood, later ones tell of a change.
pub const AT_ONCE: Micros = Micros::seconds(1);
/// So long a stick stands in an end quarter before it is held back.
pub const STANDS: Micros = Micros::seconds(10);
/// So many reports have come meanwhile,
pub const REPORTS: u32 = 20;
/// or so many other controls have changed.
pub const OTHERS: u32 = 3;

/// How an axis is expected to stand at rest.
#[derive(Clone, Copy, Debug)]
struct Expected {
    value: u8,
    at: usize,
    zone: Zone,
}

/// A stick that stood at an end in its first report.
#[derive(Clone, Copy, Debug)]
struct Standing {
    value: u8,
    since: Micros,
    reports: u32,
    back: bool,
}

/// Two axes that are the right stick unless they are seen to rest at their ends, which makes them triggers.
#[derive(Clone, Copy, Debug)]
struct Pair {
    /// The axes, by their places among the controls.
    axes: [usize; 2],
    /// The axes that are sticks then.
    sticks: [Option<usize>; 4],
    state: PairState,
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum PairState {
    /// The first report is waited for.
    Waiting,
    /// They are triggers, since this moment, unless they are seen in the middle.
    Turned(Micros),
    /// It is known.
    Known,
}

/// What was learnt of a device by its first reports.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Learnt {
    /// Two axes that would be its right stick rest at their ends: they are triggers; or they are not after all.
    TriggersTurned(bool),
    /// The same has held for long enough to be remembered.
    TriggersKept,
    /// A hat with one value more than directions stands at its lower end: that is its centre.
    HatCentre,
}

/// A part whose first reports are waited for, and what of them is held off.
#[derive(Clone, Debug, Default)]
pub struct Arrival {
    opened: Option<Micros>,
    expected: Vec<Expected>,
    /// Values, and reports, that have come at least once.
    met: u64,
    reports: u64,
    /// The bits of the last frame.
    bits: [u64; WORDS],
    held_bits: [u64; WORDS],
    held: u64,
    standing: Vec<Standing>,
    /// The first frame, and which controls have changed since, while a stick stands at an end.
    first: Option<Box<Frame>>,
    changed: (u64, [u64; WORDS]),
    pair: Option<Pair>,
    ambiguous_hat: Option<usize>,
    learnt: Vec<Learnt>,
}

/// Whether a share lies in one of the end quarters.
fn at_end(share: f32) -> bool {
    !(0.25..0.75).contains(&share) || share == 0.25
}

impl Arrival {
    /// A part whose node was opened then; none if it is not open yet.
    pub fn new(part: &PartLayout, opened: Option<Micros>) -> Self {
        let place = |number: ControlNumber| part.controls.iter().position(|control| control.number == number);
        let pair = doubtful_pair(part).and_then(|(axes, sticks)| {
            let mut places = [None; 4];
            for (to, from) in places.iter_mut().zip(sticks) {
                *to = place(from);
            }
            let axes = [place(axes[0])?, place(axes[1])?];
            // What is known of the device already is not asked again.
            let state = if part.triggers_turned { PairState::Known } else { PairState::Waiting };
            Some(Pair { axes, sticks: places, state })
        });
        let ambiguous_hat = part.controls.iter().position(|control| control.centre_unclear);
        Self { opened, pair, ambiguous_hat, ..Self::default() }
    }

    /// The node has been opened; covering it by our own rebind does not open it anew.
    pub fn handle_opened(&mut self, now: Micros) {
        self.opened.get_or_insert(now);
    }

    /// Axes are expected to rest like this from now on. What is held off of others is not any more.
    pub fn expect(&mut self, controls: &[Control], rests: &[(ControlNumber, Zone)]) {
        self.expected.clear();
        let mut axes = 0u64;
        for (number, zone) in rests {
            let Some(at) = controls.iter().position(|control| control.number == *number) else { continue };
            let Place::Value(value) = controls[at].place else { continue };
            self.expected.push(Expected { value, at, zone: *zone });
            if *zone != Zone::Middle {
                axes |= 1 << value;
            }
        }
        for control in controls.iter().filter(|control| control.kind == ControlKind::Axis) {
            if let Place::Value(value) = control.place {
                self.held &= axes | !(1 << value);
            }
        }
        let middle = |value: u8| self.expected.iter().any(|own| own.value == value && own.zone == Zone::Middle);
        let kept: Vec<Standing> = self.standing.iter().copied().filter(|own| middle(own.value)).collect();
        self.standing = kept;
    }

    /// The values that are held off or back.
    pub fn blocked(&self) -> u64 {
        self.standing.iter().filter(|own| own.back).fold(self.held, |all, own| all | 1 << own.value)
    }

    /// Whether frames have to be looked at.
    pub fn is_waiting(&self) -> bool {
        let values = self.expected.iter().fold(0u64, |all, own| all | 1 << own.value);
        self.reports == 0
            || self.met & values != values
            || self.held != 0
            || self.held_bits != [0; WORDS]
            || !self.standing.is_empty()
            || self.pair.is_some_and(|pair| pair.state != PairState::Known)
    }

    /// What has been learnt since this was asked last.
    pub fn take_learnt(&mut self) -> Option<Learnt> {
        if self.learnt.is_empty() { None } else { Some(self.learnt.remove(0)) }
    }

    /// Whether anything has been learnt.
    pub fn has_learnt(&self) -> bool {
        !self.learnt.is_empty()
    }

    /// Whether a control does not count because it was down when the device came.
    pub fn was_down(&self, control: &Control) -> bool {
        match control.place {
            Place::Bit(bit) => {
                self.held_bits.get(usize::from(bit / 64)).is_some_and(|word| word >> (bit % 64) & 1 == 1)
            }
            Place::Value(value) => self.held >> (value & 63) & 1 == 1,
        }
    }

    /// Whether a stick does not count because it has stood at an end for too long.
    pub fn stands_at_end(&self, control: &Control) -> bool {
        self.standing.iter().any(|own| own.back && control.place == Place::Value(own.value))
    }

    /// A frame has come: what is held off is taken out of it. Returns the values that do not count.
    pub fn handle_frame(&mut self, now: Micros, frame: &mut Frame, controls: &[Control], carried: Carried) -> u64 {
        let first = self.reports >> (carried.report & 63) & 1 == 0;
        let new = carried.values & !self.met;
        let opened = *self.opened.get_or_insert(now);
        let stood = now.since(opened) <= AT_ONCE && !planted("what is down at first counts");
        if first {
            self.reports |= 1 << (carried.report & 63);
        }
        let centre = if first { self.meet_hat(frame, controls, new) } else { 0 };
        self.look_at_pair(now, frame, controls, carried.values, new);
        for own in &self.expected {
            let bit = 1u64 << own.value;
            if carried.values & bit == 0 {
                continue;
            }
            let share = controls[own.at].share(frame.values[usize::from(own.value) % VALUES]);
            match own.zone {
                Zone::Middle if new & bit != 0 && at_end(share) => {
                    self.standing.push(Standing { value: own.value, since: now, reports: 0, back: false });
                    if self.first.is_none() {
                        self.first = Some(Box::new(*frame));
                    }
                }
                Zone::Middle => {}
                zone if zone.contains(share) => self.held &= !bit,
                _ if new & bit != 0 && stood => self.held |= bit,
                _ => {}
            }
        }
        self.hold_others(frame, controls, carried.values, if stood { new & !centre } else { 0 });
        self.met |= carried.values;
        self.watch_standing(now, frame, controls, carried.values);
        for ((held, before), down) in self.held_bits.iter_mut().zip(&mut self.bits).zip(&mut frame.bits) {
            if first && stood {
                *held |= *down & !*before;
            }
            *before = *down;
            *held &= *down;
            *down &= !*held;
        }
        self.blocked()
    }

    /// Takes what is held off out of a frame that is looked at once more.
    pub fn take_out(&self, frame: &mut Frame) {
        for (held, down) in self.held_bits.iter().zip(&mut frame.bits) {
            *down &= !held;
        }
    }

    /// Hats and buttons with a pressure that stand away from their rest.
    fn hold_others(&mut self, frame: &Frame, controls: &[Control], carried: u64, new: u64) {
        for control in controls {
            let (Place::Value(value), ControlKind::Hat | ControlKind::Button) = (control.place, control.kind) else {
                continue;
            };
            let (bit, raw) = (1u64 << value, frame.values[usize::from(value) % VALUES]);
            if carried & bit == 0 {
                continue;
            }
            if !control.is_down(raw) {
                self.held &= !bit;
            } else if new & bit != 0 {
                self.held |= bit;
            }
        }
    }

    fn watch_standing(&mut self, now: Micros, frame: &Frame, controls: &[Control], carried: u64) {
        let Some(first) = &self.first else { return };
        for (all, (then, down)) in self.changed.1.iter_mut().zip(first.bits.iter().zip(&frame.bits)) {
            *all |= then ^ down;
        }
        for control in controls.iter().filter(|control| matches!(control.kind, ControlKind::Axis | ControlKind::Hat)) {
            let Place::Value(value) = control.place else { continue };
            let of = |frame: &Frame| frame.values[usize::from(value) % VALUES];
            if (control.share(of(first)) - control.share(of(frame))).abs() >= 1.0 / 16.0 {
                self.changed.0 |= 1 << value;
            }
        }
        let others = self.changed.0.count_ones() + self.changed.1.iter().map(|word| word.count_ones()).sum::<u32>();
        let expected = &self.expected;
        self.standing.retain_mut(|own| {
            if carried >> own.value & 1 == 0 {
                return true;
            }
            let Some(control) = expected.iter().find(|other| other.value == own.value).map(|other| &controls[other.at])
            else {
                return false;
            };
            let share = control.share(frame.values[usize::from(own.value) % VALUES]);
            if own.back {
                return !Zone::Middle.contains(share);
            }
            own.reports += 1;
            let long = now.since(own.since) >= STANDS && (own.reports > REPORTS || others >= OTHERS);
            own.back = long && at_end(share);
            at_end(share)
        });
        if self.standing.is_empty() {
            (self.first, self.changed) = (None, Default::default());
        }
    }

    fn look_at_pair(&mut self, now: Micros, frame: &Frame, controls: &[Control], carried: u64, new: u64) {
        let Some(pair) = &mut self.pair else { return };
        let bit = |at: usize| match controls[at].place {
            Place::Value(value) => 1u64 << value,
            Place::Bit(_) => 0,
        };
        let both = pair.axes.iter().fold(0, |all, at| all | bit(*at));
        if carried & both != both {
            return;
        }
        let share = |at: usize| controls[at].share(controls[at].raw(frame));
        let middle = |at: usize| Zone::Middle.contains(share(at));
        match pair.state {
            PairState::Waiting if new & both == both => {
                let ends = pair.axes.iter().all(|at| at_end(share(*at)));
                let quiet = pair.sticks.iter().flatten().all(|at| middle(*at));
                pair.state = if ends && quiet { PairState::Turned(now) } else { PairState::Known };
                if ends && quiet {
                    self.learnt.push(Learnt::TriggersTurned(true));
                    // One that stands pulled counts once it has been seen up.
                    self.held |= pair.axes.iter().filter(|at| share(**at) > 0.5).fold(0, |all, at| all | bit(*at));
                }
            }
            PairState::Turned(_) if pair.axes.iter().all(|at| middle(*at)) => {
                pair.state = PairState::Known;
                self.learnt.push(Learnt::TriggersTurned(false));
            }
            PairState::Turned(since) if now.since(since) >= STANDS => {
                pair.state = PairState::Known;
                self.learnt.push(Learnt::TriggersKept);
            }
            _ => {}
        }
    }

    /// Whether the first report shows a hat in a centre that it was not known to have: its value, as a bit.
    fn meet_hat(&mut self, frame: &Frame, controls: &[Control], new: u64) -> u64 {
        let Some(at) = self.ambiguous_hat else { return 0 };
        let control = &controls[at];
        let Place::Value(value) = control.place else { return 0 };
        if new >> value & 1 == 0 {
            return 0;
        }
        self.ambiguous_hat = None;
        if control.raw(frame) != control.min {
            return 0;
        }
        self.learnt.push(Learnt::HatCentre);
        1 << value
    }
}
