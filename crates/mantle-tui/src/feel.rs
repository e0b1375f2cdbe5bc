//! Feel changed from the screen: a setting is chosen, stepped, flipped, measured.

use crate::app::{App, Row, Then, View};
use crate::keys::FeelKey;
use mantle_talk::{Change, Command, Curve, Detail, FeelView, Gate, PRESETS, Setting, Shape, Shaped, SlotNumber, Stage};

/// A setting of a stick or trigger, as it is listed.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Knob {
    /// The dead zone.
    DeadZone,
    /// The outer dead zone.
    Outer,
    /// The minimum output.
    Minimum,
    /// The curve as a whole.
    Curve,
    /// One of its points.
    Point(usize),
    /// The sensitivity.
    Sensitivity,
    /// The gate.
    Gate,
    /// X the other way around.
    InvertX,
    /// Y the other way around.
    InvertY,
    /// The smoothing.
    Smoothing,
}

impl Knob {
    /// What can be set of a shape.
    pub fn of(which: Shaped, shape: &Shape) -> Vec<Self> {
        let mut all = vec![Self::DeadZone, Self::Outer, Self::Minimum, Self::Curve];
        all.extend((0..shape.curve.points().len()).map(Self::Point));
        all.push(Self::Sensitivity);
        if which.is_stick() {
            all.extend([Self::Gate, Self::InvertX, Self::InvertY]);
        }
        all.push(Self::Smoothing);
        all
    }

    /// It, or what is closest to it among these.
    pub fn among(self, all: &[Self]) -> Self {
        let fallback = match self {
            Self::Point(_) => Self::Curve,
            _ => Self::DeadZone,
        };
        if all.contains(&self) { self } else { fallback }
    }

    /// Its name.
    pub fn name(self) -> String {
        match self {
            Self::DeadZone => "dead zone".into(),
            Self::Outer => "outer dead zone".into(),
            Self::Minimum => "minimum output".into(),
            Self::Curve => "curve".into(),
            Self::Point(at) => format!("point {}", at + 1),
            Self::Sensitivity => "sensitivity".into(),
            Self::Gate => "gate".into(),
            Self::InvertX => "invert X".into(),
            Self::InvertY => "invert Y".into(),
            Self::Smoothing => "smoothing".into(),
        }
    }

    /// Its value in words.
    pub fn value(self, shape: &Shape) -> String {
        let share = |share: f32| format!("{share:.2}");
        match self {
            Self::DeadZone => share(shape.dead_zone),
            Self::Outer => share(shape.outer),
            Self::Minimum => share(shape.minimum),
            Self::Curve => shape.curve.name().unwrap_or("of its own").into(),
            Self::Point(at) => {
                let (x, y) = shape.curve.points().get(at).copied().unwrap_or_default();
                format!("{x:.2} in, {y:.2} out")
            }
            Self::Sensitivity => format!("× {:.2}", shape.sensitivity),
            Self::Gate => match shape.gate {
                Gate::Free => "as the device has it",
                Gate::Circle => "circle",
                Gate::Square => "square",
            }
            .into(),
            Self::InvertX => if shape.invert[0] { "yes" } else { "no" }.into(),
            Self::InvertY => if shape.invert[1] { "yes" } else { "no" }.into(),
            Self::Smoothing => match shape.smoothing.0 / 1000 {
                0 => "off, no delay".into(),
                millis => format!("{millis} ms of delay"),
            },
        }
    }

    /// It one step more or less.
    pub fn step(self, shape: &Shape, up: bool) -> Setting {
        let thousandths = |share: f32| (share * 1000.0).round() as i32;
        let stepped = |share: f32, step: i32, low: i32, high: i32| {
            (thousandths(share) + if up { step } else { -step }).clamp(low, high) as u16
        };
        let around = |at: usize, len: usize| (at + if up { 1 } else { len - 1 }) % len;
        let points = |curve: &Curve| {
            curve.points().iter().map(|(x, y)| (thousandths(*x) as u16, thousandths(*y) as u16)).collect()
        };
        match self {
            Self::DeadZone => Setting::DeadZone(stepped(shape.dead_zone, 10, 0, 900)),
            Self::Outer => Setting::Outer(stepped(shape.outer, 10, 0, 500)),
            Self::Minimum => Setting::Minimum(stepped(shape.minimum, 10, 0, 900)),
            Self::Curve => {
                let known = PRESETS.iter().position(|(name, _)| Some(*name) == shape.curve.name());
                let next = known.map_or(0, |at| around(at, PRESETS.len()));
                Setting::Curve(points(&Curve::preset(PRESETS[next].0).unwrap_or_default()))
            }
            Self::Point(at) => Setting::Curve(points(&shape.curve.moved(at, if up { 0.02 } else { -0.02 }))),
            Self::Sensitivity => Setting::Sensitivity(stepped(shape.sensitivity, 50, 100, 5000)),
            Self::Gate => {
                let at = Gate::ALL.iter().position(|(_, gate)| *gate == shape.gate).unwrap_or(0);
                Setting::Gate(Gate::ALL[around(at, Gate::ALL.len())].1)
            }
            Self::InvertX => Setting::Invert([!shape.invert[0], shape.invert[1]]),
            Self::InvertY => Setting::Invert([shape.invert[0], !shape.invert[1]]),
            Self::Smoothing => {
                let millis = (shape.smoothing.0 / 1000) as i32 + if up { 5 } else { -5 };
                Setting::Smoothing(millis.clamp(0, 500) as u16)
            }
        }
    }

    /// It as it is where nobody has changed anything.
    pub fn usual(self, shape: &Shape) -> Setting {
        match self {
            Self::DeadZone => Setting::DeadZone((mantle_talk::DEAD_ZONE * 1000.0).round() as u16),
            Self::Outer => Setting::Outer(0),
            Self::Minimum => Setting::Minimum(0),
            Self::Curve | Self::Point(_) => Setting::Curve(Vec::new()),
            Self::Sensitivity => Setting::Sensitivity(1000),
            Self::Gate => Setting::Gate(Gate::Free),
            Self::InvertX => Setting::Invert([false, shape.invert[1]]),
            Self::InvertY => Setting::Invert([shape.invert[0], false]),
            Self::Smoothing => Setting::Smoothing(0),
        }
    }
}

impl App {
    /// The slot whose feel is seen.
    pub(crate) fn felt_slot(&self) -> Option<SlotNumber> {
        match self.row {
            Some(Row::Slot(slot)) if self.view == View::Stage && self.stage == Stage::Feel => Some(slot),
            _ => None,
        }
    }

    /// How the slot that is seen feels.
    pub(crate) fn felt(&self) -> Option<&FeelView> {
        match &self.snapshot.detail {
            Detail::Slot(slot) if Some(slot.number) == self.felt_slot() => Some(&slot.feel),
            _ => None,
        }
    }

    /// The stick or trigger that is chosen.
    pub(crate) fn shaped(&self) -> Shaped {
        Shaped::ALL[self.shaped % Shaped::ALL.len()]
    }

    pub(crate) fn handle_feel(&mut self, wanted: FeelKey) {
        let which = self.shaped();
        let (Some(slot), Some(felt)) = (self.felt_slot(), self.felt()) else {
            self.message = Some("feel is changed in its own view: F".into());
            return;
        };
        // What was asked for and is not there yet counts: keys come faster than files are saved.
        let pending = self.pending_feel.filter(|(own, of, _)| (*own, *of) == (slot, which)).map(|(.., shape)| shape);
        let shape = pending.unwrap_or(*felt.feel.of(which));
        let knobs = Knob::of(which, &shape);
        let knob = self.knob.among(&knobs);
        let at = knobs.iter().position(|own| *own == knob).unwrap_or(0);
        let walks = felt.walking.is_some();
        let proposal = felt.measuring.as_ref().and_then(|measure| measure.proposal);
        let measures = felt.measuring.is_some();
        if felt.flipped && matches!(wanted, FeelKey::More | FeelKey::Less | FeelKey::Usual) {
            self.message = Some("the old feel plays: f goes back to the new one first".into());
            return;
        }
        let set = |setting: Setting| vec![Change::Feel(which, setting)];
        let step = match wanted {
            FeelKey::More => Some(knob.step(&shape, true)),
            FeelKey::Less => Some(knob.step(&shape, false)),
            FeelKey::Usual => Some(knob.usual(&shape)),
            _ => None,
        };
        if let Some(setting) = step {
            self.pending_feel = Some((slot, which, setting.apply(shape)));
            return self.edit(slot, set(setting));
        }
        match wanted {
            FeelKey::More | FeelKey::Less | FeelKey::Usual => {}
            FeelKey::Next => self.knob = knobs[(at + 1) % knobs.len()],
            FeelKey::Before => self.knob = knobs[(at + knobs.len() - 1) % knobs.len()],
            FeelKey::NextShaped => self.shaped = (self.shaped + 1) % Shaped::ALL.len(),
            FeelKey::BeforeShaped => self.shaped = (self.shaped + Shaped::ALL.len() - 1) % Shaped::ALL.len(),
            FeelKey::Flip => self.command(Command::FlipFeel { slot }, Then::Nothing),
            FeelKey::Measure => {
                if !measures {
                    self.take_demo_in_hand();
                }
                let what = (!measures).then_some((slot, which));
                self.command(Command::MeasureFeel(what), Then::Nothing);
            }
            FeelKey::Walk => self.command(Command::WalkOutput { slot, which }, Then::Nothing),
            FeelKey::Take if walks => self.command(Command::EndWalk { slot, moved: true }, Then::Nothing),
            FeelKey::Take => {
                if let Some((dead_zone, outer)) = proposal {
                    let mut changes = set(Setting::DeadZone(dead_zone));
                    changes.extend(set(Setting::Outer(outer)));
                    self.edit(slot, changes);
                    self.put_down();
                    self.command(Command::MeasureFeel(None), Then::Nothing);
                }
            }
            FeelKey::Leave if walks => self.command(Command::EndWalk { slot, moved: false }, Then::Nothing),
            FeelKey::Leave if measures => {
                self.put_down();
                self.command(Command::MeasureFeel(None), Then::Nothing);
            }
            FeelKey::Leave => {}
        }
    }
}
