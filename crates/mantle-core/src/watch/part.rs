//! The controls of one part, examined again and again.

use crate::control::{Control, ControlKind, ControlNumber, Place, Zone};
use crate::time::Micros;
use mantle_hid::{Frame, WORDS};

/// A stick this still, as a share of its whole travel to either side, is not in a hand.
const STILL: f32 = 0.03;
/// How long it stands still before it counts as drifting, if it came to rest like this before, or has hardly been moved.
const DRIFTS_AFTER: Micros = Micros::seconds(8);
/// How long in any other case: no hand holds a stick this still.
const DRIFTS_AT_LAST: Micros = Micros::seconds(30);
/// How long it stands still before that counts as a rest.
const STANDS: Micros = Micros::seconds(1);
/// Closer to the middle there is no drift; further out a stick is held on purpose, or does not spring back at all.
const DRIFT: std::ops::Range<f32> = 0.03..0.4;
/// How long a button or trigger is down before it is reported.
const DOWN_AFTER: Micros = Micros::seconds(120);
/// The same for one that has not been up since its device arrived.
const DOWN_SINCE_IT_CAME: Micros = Micros::seconds(10);
/// How long a stick is far out, and stiller than any hand.
const PUSHED_AFTER: Micros = Micros::seconds(300);
/// Pushes that are compared to find an end that is never reached.
const PUSHES: usize = 8;
/// If something stops them, their ends are this close to each other.
const STOPPED_ALIKE: f32 = 0.06;
/// A stop beyond this share of the way is no fault.
const FULL: f32 = 0.92;
/// Looks that are compared to find noise.
const LOOKS: usize = 30;
/// What moves less than this, as a share of the whole travel, is no noise worth mentioning; what moves more is a hand.
const NOISE: std::ops::Range<f32> = 0.05..0.4;
/// A control has moved when it is this much further from its rest.
const MOVED: f32 = 0.15;

/// What is wrong with a control, as measured during play.
#[derive(Clone, PartialEq, Debug)]
pub enum Ailment {
    /// It is off its rest while nobody holds it: how far, as a share of the way from the middle to an end.
    Drifts(f32),
    /// It never gets further than this share of the way; whether it is the lower end.
    Short(f32, bool),
    /// It trembles by this share of the way from the middle to an end.
    Trembles(f32),
    /// It jumps far off for a moment and back: how often lately.
    Jumps(u8),
    /// It has been down for this long; whether since its device arrived.
    Down(Micros, bool),
}

/// A control that has moved.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct LastMove {
    /// Which.
    pub control: ControlNumber,
    /// When that was last seen.
    pub last: Micros,
    /// Whether it is still away from its rest.
    pub held: bool,
}

/// The ends of the last pushes to one side.
#[derive(Clone, Copy, Debug, Default)]
struct Pushes {
    now: f32,
    ends: [f32; PUSHES],
    count: usize,
}

impl Pushes {
    /// How far it is pushed now, 0 to 1.
    fn see(&mut self, way: f32) {
        if way > 0.4 {
            self.now = self.now.max(way);
        } else if way < 0.2 && self.now > 0.0 {
            self.ends[self.count % PUSHES] = self.now;
            (self.count, self.now) = (self.count + 1, 0.0);
        }
    }

    /// The end that all of the last pushes came to, if they were stopped short of full.
    fn stops_at(&self) -> Option<f32> {
        let (low, high) = self.ends.iter().fold((1.0f32, 0.0f32), |(low, high), end| (low.min(*end), high.max(*end)));
        let now = self.now <= high;
        (self.count >= PUSHES && now && high < FULL && high - low <= STOPPED_ALIKE).then_some(high)
    }
}

/// One control.
#[derive(Clone, Debug)]
struct ControlWatch {
    /// Its expected rest; whether it is examined at all.
    rest: Option<Zone>,
    counts: bool,
    share: f32,
    /// Where it has been standing still, and since when.
    still: (f32, Micros),
    /// Where it stood before (initially, where it was on arrival), and how far it has been from there since.
    stood: (f32, f32),
    down: Option<Micros>,
    seen_up: bool,
    lower: Pushes,
    upper: Pushes,
    ring: [f32; LOOKS],
    looks: usize,
}

/// A bit that no control has.
const NOBODY: u16 = u16::MAX;

/// A part that is watched.
#[derive(Clone, Debug, Default)]
pub struct PartWatch {
    controls: Vec<ControlWatch>,
    moved: Option<LastMove>,
    /// The bits of the last look, and the control of each, by place: only what has changed is examined again.
    bits: [u64; WORDS],
    of_bit: Vec<u16>,
    /// Those that are wider than a bit, by their places.
    wide: Vec<u16>,
}

/// Where a control rests and how far it is from there, 0 to 1, towards its lower and its upper side.
fn ways(control: &Control, share: f32, rest: Zone) -> [f32; 2] {
    match (control.kind, rest) {
        (ControlKind::Axis, Zone::Middle) => [1.0 - 2.0 * share, 2.0 * share - 1.0].map(|way| way.max(0.0)),
        (ControlKind::Axis, Zone::HighEnd) => [1.0 - share, 0.0],
        _ => [0.0, share],
    }
}

/// How far a control is from its rest, 0 to 1; an axis with unknown rest, from its lower end.
#[must_use]
pub fn way(control: &Control, share: f32, rest: Option<Zone>) -> f32 {
    rest.map_or(share, |rest| ways(control, share, rest).into_iter().fold(0.0, f32::max))
}

/// The position of a control within its travel.
fn share_of(control: &Control, frame: &Frame) -> f32 {
    let raw = control.raw(frame);
    match control.kind {
        ControlKind::Hat => f32::from(u8::from(control.is_down(raw))),
        ControlKind::Relative => f32::from(u8::from(raw != 0)),
        _ => control.share(raw),
    }
}

impl PartWatch {
    /// The part's present state. `rest` is an axis' expected rest, if known; of several controls that have moved, the one that `plays` counts.
    pub fn look(
        &mut self,
        now: Micros,
        controls: &[Control],
        frame: &Frame,
        rest: impl Fn(ControlNumber) -> Option<Zone>,
        plays: impl Fn(ControlNumber) -> bool,
    ) {
        if self.controls.len() != controls.len() {
            let new =
                |control: &Control| ControlWatch::new(now, control, share_of(control, frame), rest(control.number));
            self.controls = controls.iter().map(new).collect();
            self.find_places(controls);
            self.bits = frame.bits;
            for (watched, control) in self.controls.iter_mut().zip(controls).filter(|(watched, _)| watched.counts) {
                watched.see(now, control, share_of(control, frame));
            }
            return;
        }
        let mut moved = None;
        let all = &mut self.controls;
        let mut see = |at: u16| {
            let (Some(watched), Some(control)) = (all.get_mut(usize::from(at)), controls.get(usize::from(at))) else {
                return;
            };
            if watched.see(now, control, share_of(control, frame)) {
                moved = moved.filter(|other| plays(*other)).or(Some(control.number));
            }
        };
        for (word, (now, before)) in frame.bits.iter().zip(&mut self.bits).enumerate() {
            let mut changed = *now ^ std::mem::replace(before, *now);
            while changed != 0 {
                let bit = (word * 64) as u16 + changed.trailing_zeros() as u16;
                changed &= changed - 1;
                self.of_bit.get(usize::from(bit)).filter(|at| **at != NOBODY).into_iter().for_each(|at| see(*at));
            }
        }
        self.wide.iter().for_each(|at| see(*at));
        if let Some(control) = moved {
            self.moved = Some(LastMove { control, last: now, held: true });
        } else if let Some(moved) = &mut self.moved
            && let Some(at) = controls.iter().position(|control| control.number == moved.control)
        {
            moved.held = self.controls[at].is_away(&controls[at]);
            if moved.held {
                moved.last = now;
            }
        }
    }

    /// The places of the controls that are bits, and of the others.
    fn find_places(&mut self, controls: &[Control]) {
        let counts = self.controls.iter().zip(controls).enumerate().filter(|(_, (watched, _))| watched.counts);
        (self.of_bit, self.wide) = (vec![NOBODY; WORDS * 64], Vec::new());
        for (at, (_, control)) in counts {
            match control.place {
                Place::Bit(bit) => self.of_bit[usize::from(bit) % (WORDS * 64)] = at as u16,
                Place::Value(_) => self.wide.push(at as u16),
            }
        }
    }

    /// What has moved last.
    #[must_use]
    pub fn moved(&self) -> Option<LastMove> {
        self.moved
    }

    /// Its bindings or measurements have changed, so what was seen before means nothing.
    pub fn begin_again(&mut self) {
        *self = Self::default();
    }

    /// What is wrong, control by control, by their places.
    pub fn ailments<'a>(&'a self, now: Micros, controls: &'a [Control]) -> impl Iterator<Item = (usize, Ailment)> + 'a {
        let all = self.controls.iter().zip(controls).enumerate();
        all.flat_map(move |(at, (watched, control))| {
            watched.ailments(now, control).into_iter().map(move |ailment| (at, ailment))
        })
    }
}

impl ControlWatch {
    fn new(now: Micros, control: &Control, share: f32, rest: Option<Zone>) -> Self {
        let counts = matches!(
            control.kind,
            ControlKind::Button | ControlKind::Key | ControlKind::Axis | ControlKind::Hat | ControlKind::Relative
        );
        Self {
            rest,
            counts,
            share,
            still: (share, now),
            stood: (share, 0.0),
            down: None,
            seen_up: false,
            lower: Pushes::default(),
            upper: Pushes::default(),
            ring: [share; LOOKS],
            looks: 0,
        }
    }

    fn is_down(control: &Control, share: f32, rest: Option<Zone>) -> bool {
        match (control.kind, rest) {
            (ControlKind::Button | ControlKind::Key, _) => share > 0.5,
            (ControlKind::Axis, Some(Zone::LowEnd)) => share > 0.25,
            (ControlKind::Axis, Some(Zone::HighEnd)) => share < 0.75,
            _ => false,
        }
    }

    /// Whether it is away from its rest.
    fn is_away(&self, control: &Control) -> bool {
        let rest = self.rest;
        match control.kind {
            ControlKind::Axis => {
                ways(control, self.share, rest.unwrap_or(Zone::Middle)).into_iter().any(|way| way > 0.3)
            }
            _ => self.share > 0.5,
        }
    }

    /// Its position now; returns whether it has been moved away from its rest since the last look.
    fn see(&mut self, now: Micros, control: &Control, share: f32) -> bool {
        let rest = self.rest;
        let before = std::mem::replace(&mut self.share, share);
        if Self::is_down(control, share, rest) {
            self.down.get_or_insert(now);
        } else {
            (self.down, self.seen_up) = (None, true);
        }
        if control.kind != ControlKind::Axis {
            return share > 0.5 && before <= 0.5;
        }
        let (stood, far) = self.stood;
        self.stood.1 = far.max((share - stood).abs());
        if (share - self.still.0).abs() > STILL {
            // At an end it stands in a hand.
            if now.since(self.still.1) >= STANDS && (2.0 * self.still.0 - 1.0).abs() < DRIFT.end {
                self.stood = (self.still.0, 0.0);
            }
            self.still = (share, now);
        }
        let [lower, upper] = ways(control, share, rest.unwrap_or(Zone::Middle));
        self.lower.see(lower);
        self.upper.see(upper);
        self.ring[self.looks % LOOKS] = share;
        self.looks += 1;
        (share - before).abs() > MOVED && self.is_away(control)
    }

    fn ailments(&self, now: Micros, control: &Control) -> Vec<Ailment> {
        let rest = self.rest;
        let mut all = Vec::new();
        if let Some(since) = self.down {
            let (long, since_it_came) = (now.since(since), !self.seen_up);
            if long >= DOWN_AFTER || since_it_came && long >= DOWN_SINCE_IT_CAME {
                all.push(Ailment::Down(long, since_it_came));
            }
        }
        if control.kind != ControlKind::Axis || rest.is_none() {
            return all;
        }
        let off = (2.0 * self.share - 1.0).abs();
        let still = now.since(self.still.1);
        // A hand that has moved it far does not come back to the same place off the middle.
        let (stood, far) = self.stood;
        let again = far <= MOVED || (self.share - stood).abs() <= STILL;
        let after = if again { DRIFTS_AFTER } else { DRIFTS_AT_LAST };
        if rest == Some(Zone::Middle) && DRIFT.contains(&off) && still >= after {
            all.push(Ailment::Drifts(off));
        }
        if rest == Some(Zone::Middle) && off >= DRIFT.end && still >= PUSHED_AFTER {
            all.push(Ailment::Down(still, false));
        }
        all.extend(self.lower.stops_at().map(|end| Ailment::Short(end, true)));
        all.extend(self.upper.stops_at().map(|end| Ailment::Short(end, false)));
        all.extend(self.trembles().map(Ailment::Trembles));
        all
    }

    /// By how much it goes to and fro, if it does so at nearly every look, which no hand does.
    fn trembles(&self) -> Option<f32> {
        if self.looks < LOOKS {
            return None;
        }
        let (low, high) = self.ring.iter().fold((1.0f32, 0.0f32), |(low, high), at| (low.min(*at), high.max(*at)));
        let at = |n: usize| self.ring[(self.looks + n) % LOOKS];
        let steps = (1..LOOKS).map(|n| at(n) - at(n - 1)).filter(|step| *step != 0.0);
        let (mut count, mut turns, mut before) = (0, 0, 0.0f32);
        for step in steps {
            turns += usize::from(step * before < 0.0);
            (count, before) = (count + 1, step);
        }
        let to_and_fro = count >= LOOKS / 3 && turns * 5 >= count * 3;
        (NOISE.contains(&(high - low)) && to_and_fro).then_some(high - low)
    }
}
