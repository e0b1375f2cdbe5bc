//! Kinds of pad as data: what a pad has, under which codes games know it, and what it is called. Bindings, states and feel share one vocabulary of
//! targets ([`PadTarget`]); a model says which of them its pad has. Another kind is therefore another value of [`PadModel`], and nothing else that
//! plays has to know about it. Games recognise the common pad by its ids and go by the *index* of a button, so its keys are exactly these eleven and
//! its d-pad is a hat. Under its ids, the west button has the code 0x133 and the north button 0x134: the driver's historic order, which games'
//! databases expect. Up is negative on the sticks.

use super::kind::{FLIGHT_AXES, FlightShape, OF_THE_JOYSTICK_RANGE};
use super::parts::{AbsInfo, ComesBack, HidForm, PadAxis, PadHat, PadNode, PadSurface};
use super::sensed::SensedLane;
use super::state::{TRAVEL_FULL, TRIGGER_FULL};
use super::target::{FIRST_LINE, LINES, PadTarget, TARGETS, WAYS};
use serde::{Deserialize, Serialize};

/// The event types and codes of `linux/input-event-codes.h` that are used here.
pub(super) mod code {
    pub const EV_SYN: u16 = 0;
    pub const EV_KEY: u16 = 1;
    pub const EV_ABS: u16 = 3;
    pub const BTN_LEFT: u16 = 0x110;
    pub const BTN_JOYSTICK: u16 = 0x120;
    pub const BTN_TRIGGER_HAPPY: u16 = 0x2c0;
    pub const ABS_HAT0X: u16 = 0x10;
    pub const ABS_MT_SLOT: u16 = 0x2f;
    pub const ABS_MT_POSITION_X: u16 = 0x35;
    pub const ABS_MT_POSITION_Y: u16 = 0x36;
    pub const ABS_MT_TRACKING_ID: u16 = 0x39;
}

/// The ids under which a pad appears.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub struct PadIdentity {
    /// Bus type: 3 is USB.
    pub bus: u16,
    /// Vendor id.
    pub vendor: u16,
    /// Product id.
    pub product: u16,
    /// Version; it differs whenever the layout differs, since libraries keep one mapping for an id and version.
    pub version: u16,
}

/// Who makes pads of a model.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Publisher {
    /// The kernel's uinput: event nodes that take the model's events.
    #[default]
    Uinput,
    /// The kernel's uhid: a HID device, whose driver makes its nodes.
    Uhid(HidForm),
    /// Nobody: there is no pad.
    Nobody,
}

/// Where something is on a pad held in both hands.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Hand {
    /// Under the left hand.
    Left,
    /// Between the hands.
    Middle,
    /// Under the right hand.
    Right,
}

/// Two axes that make up one stick: shaped and tried as a plane.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct PadStick {
    /// What it is called.
    pub name: String,
    /// The lanes of its X and its Y.
    pub lanes: [usize; 2],
}

/// A kind of pad.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct PadModel {
    /// What people call it.
    pub name: String,
    /// What the system is told.
    pub title: String,
    /// Whether the slot's number follows it.
    pub numbered: bool,
    /// The ids under which it appears.
    pub identity: PadIdentity,
    /// Who makes it.
    pub publisher: Publisher,
    /// Its buttons and their codes.
    pub keys: Vec<(PadTarget, u16)>,
    /// Its axes, except those of hats.
    pub axes: Vec<PadAxis>,
    /// Those of its axes that make up sticks; each of the others is by itself.
    pub sticks: Vec<PadStick>,
    /// Its hats, the d-pad first.
    pub hats: Vec<PadHat>,
    /// Its further nodes.
    pub more: Vec<PadNode>,
    /// What games may send to it.
    pub comes_back: Vec<ComesBack>,
    /// Everything that bindings can play, in the order used everywhere.
    pub targets: Vec<PadTarget>,
    /// Names that differ from those used everywhere else.
    pub names: Vec<(PadTarget, String)>,
    /// Under which hand everything is, for a pad held in both, in the order of the fingers.
    pub hands: Vec<(PadTarget, Hand)>,
}

const fn abs(code: u16, min: i32, max: i32) -> AbsInfo {
    AbsInfo { code, min, max, resolution: 0 }
}

/// The common pad's keys.
pub(super) const KEYS: [(PadTarget, u16); 11] = [
    (PadTarget::South, 0x130),
    (PadTarget::East, 0x131),
    (PadTarget::West, 0x133),
    (PadTarget::North, 0x134),
    (PadTarget::LeftShoulder, 0x136),
    (PadTarget::RightShoulder, 0x137),
    (PadTarget::Select, 0x13a),
    (PadTarget::Start, 0x13b),
    (PadTarget::LeftStickPress, 0x13d),
    (PadTarget::RightStickPress, 0x13e),
    (PadTarget::Mode, 0x13c),
];

/// The codes of the common pad's axes by lane, and of its hat.
pub(super) const AXIS_CODES: [u16; 6] = [0x00, 0x01, 0x03, 0x04, 0x02, 0x05];
/// The names of those axes, if a model has no others for them.
pub(super) const AXIS_NAMES: [&str; 6] =
    ["left stick X", "left stick Y", "right stick X", "right stick Y", "left trigger", "right trigger"];
pub(super) const HAT: PadHat = PadHat::usual(0);

/// What each hand has on the common pad, from the forefinger inwards, both sides in the same order.
const HANDS: [(Hand, &[PadTarget]); 3] = {
    use PadTarget::*;
    [
        (
            Hand::Left,
            &[
                LeftTrigger,
                LeftShoulder,
                Up,
                Down,
                Left,
                Right,
                LeftStickUp,
                LeftStickDown,
                LeftStickLeft,
                LeftStickRight,
                LeftStickPress,
            ],
        ),
        (Hand::Middle, &[Select, Mode, Start]),
        (
            Hand::Right,
            &[
                RightTrigger,
                RightShoulder,
                North,
                South,
                West,
                East,
                RightStickUp,
                RightStickDown,
                RightStickLeft,
                RightStickRight,
                RightStickPress,
            ],
        ),
    ]
};

impl Default for PadModel {
    /// The common pad.
    fn default() -> Self {
        Self::common()
    }
}

impl PadModel {
    /// The common pad, with the ids that are accepted most widely.
    #[must_use]
    pub fn common() -> Self {
        let axis = |(lane, code): (usize, &u16)| {
            let info = if lane < 4 { abs(*code, -32768, 32767) } else { abs(*code, 0, TRIGGER_FULL) };
            PadAxis { lane, info }
        };
        Self {
            name: "common pad".into(),
            title: "Placid Mantle pad".into(),
            numbered: true,
            identity: PadIdentity { bus: 3, vendor: 0x045e, product: 0x028e, version: 0x0114 },
            publisher: Publisher::Uinput,
            keys: KEYS.to_vec(),
            axes: AXIS_CODES.iter().enumerate().map(axis).collect(),
            sticks: [("left stick", [0, 1]), ("right stick", [2, 3])]
                .map(|(name, lanes)| PadStick { name: name.into(), lanes })
                .to_vec(),
            hats: vec![HAT],
            more: Vec::new(),
            comes_back: vec![ComesBack::Rumble],
            targets: TARGETS.to_vec(),
            names: Vec::new(),
            hands: HANDS.iter().flat_map(|(hand, own)| own.iter().map(|target| (*target, *hand))).collect(),
        }
    }

    /// The common pad as a HID device: the same to games, and separate to whatever groups nodes by device.
    #[must_use]
    pub fn common_apart() -> Self {
        Self { publisher: Publisher::Uhid(HidForm::Common), ..Self::common() }
    }

    /// A flight stick of this shape.
    #[must_use]
    pub fn flight(shape: FlightShape) -> Self {
        let shape = FlightShape::new(shape.axes, shape.buttons, shape.hats);
        let FlightShape { axes, buttons, hats } = shape;
        let (mut all, mut targets, mut names) = (Vec::new(), Vec::new(), Vec::new());
        for (code, (name, lane)) in FLIGHT_AXES.iter().enumerate().filter(|(code, _)| axes >> code & 1 == 1) {
            let own = PadTarget::all().filter(|target| target.axis().is_some_and(|(own, _)| own == *lane));
            let own: Vec<PadTarget> = own.collect();
            let centred = own.iter().all(|target| target.is_stick());
            let (min, max) = if centred { (-32768, 32767) } else { (0, TRAVEL_FULL) };
            all.push(PadAxis { lane: *lane, info: abs(code as u16, min, max) });
            for target in own {
                let lower = target.axis().is_some_and(|(_, sign)| sign < 0.0);
                let end = match (centred, lower) {
                    (false, _) => "",
                    (true, true) => " minus",
                    (true, false) => " plus",
                };
                names.push((target, format!("{name}{end}")));
                targets.push(target);
            }
        }
        // For an axis, the lower end comes first.
        targets.sort_by_key(|target| {
            let (lane, sign) = target.axis().unwrap_or_default();
            (FLIGHT_AXES.iter().position(|(_, own)| *own == lane), sign > 0.0)
        });
        let key = |n: u8| match n.checked_sub(OF_THE_JOYSTICK_RANGE) {
            Some(more) => code::BTN_TRIGGER_HAPPY + u16::from(more),
            None => code::BTN_JOYSTICK + u16::from(n),
        };
        targets.extend((0..buttons).map(PadTarget::Button));
        for hat in 0..hats {
            for (target, way) in PadTarget::hat(hat).into_iter().zip(WAYS) {
                targets.push(target);
                names.push((target, format!("hat {} {way}", hat + 1)));
            }
        }
        Self {
            name: "flight stick".into(),
            title: "Placid Mantle stick".into(),
            numbered: true,
            identity: PadIdentity { bus: 3, vendor: 0x1209, product: 0x9a7c, version: shape.digest() },
            publisher: Publisher::Uinput,
            keys: (0..buttons).map(|n| (PadTarget::Button(n), key(n))).collect(),
            sticks: [("X and Y", [0, 1]), ("Rx and Ry", [2, 3])]
                .into_iter()
                .filter(|(_, lanes)| lanes.iter().all(|lane| all.iter().any(|axis| axis.lane == *lane)))
                .map(|(name, lanes)| PadStick { name: name.into(), lanes })
                .collect(),
            axes: all,
            hats: (0..hats).map(PadHat::usual).collect(),
            more: Vec::new(),
            comes_back: Vec::new(),
            targets,
            names,
            hands: Vec::new(),
        }
    }

    /// No pad at all.
    #[must_use]
    pub fn nothing() -> Self {
        Self {
            name: "keys".into(),
            title: "Placid Mantle keys".into(),
            numbered: true,
            identity: PadIdentity { bus: 6, vendor: 0, product: 0, version: 1 },
            publisher: Publisher::Nobody,
            keys: Vec::new(),
            axes: Vec::new(),
            sticks: Vec::new(),
            hats: Vec::new(),
            more: Vec::new(),
            comes_back: Vec::new(),
            targets: Vec::new(),
            names: Vec::new(),
            hands: Vec::new(),
        }
    }

    /// The motion pad: everything of the common pad, motion, and a touch surface.
    #[must_use]
    pub fn motion() -> Self {
        let sensed = |code: u16, far: i32, resolution: i32| AbsInfo { code, min: -far, max: far, resolution };
        let along = (0..3).map(|axis| (SensedLane::Acceleration(axis), sensed(axis as u16, 32_768, 8_192)));
        let about = (0..3).map(|axis| (SensedLane::Turning(axis), sensed(3 + axis as u16, 2_097_152, 1_024)));
        let motion = PadNode {
            title: "Motion Sensors".into(),
            keys: Vec::new(),
            axes: along.chain(about).collect(),
            surface: None,
        };
        let surface = PadNode {
            title: "Touchpad".into(),
            keys: vec![(PadTarget::Button(0), code::BTN_LEFT)],
            axes: Vec::new(),
            surface: Some(PadSurface { size: [1_919, 1_079] }),
        };
        let whole = [PadTarget::Motion, PadTarget::Contact(0), PadTarget::Contact(1), PadTarget::Button(0)];
        let common = Self::common();
        let key = |(target, code): (PadTarget, u16)| match target {
            // By position here, as its driver has them.
            PadTarget::West => (target, 0x134),
            PadTarget::North => (target, 0x133),
            _ => (target, code),
        };
        let pulled = [(PadTarget::LeftTrigger, 0x138), (PadTarget::RightTrigger, 0x139)];
        let of_a_byte = |axis: PadAxis| PadAxis { info: AbsInfo { min: 0, max: 255, ..axis.info }, ..axis };
        Self {
            name: "motion pad".into(),
            title: "Placid Mantle motion pad".into(),
            identity: PadIdentity { bus: 5, vendor: 0x054c, product: 0x0ce6, version: 0x8100 },
            publisher: Publisher::Uhid(HidForm::Motion),
            keys: common.keys.into_iter().map(key).chain(pulled).collect(),
            axes: common.axes.into_iter().map(of_a_byte).collect(),
            more: vec![motion, surface],
            comes_back: vec![ComesBack::Rumble, ComesBack::Colour, ComesBack::PlayerLamps],
            targets: TARGETS.into_iter().chain(whole).collect(),
            names: vec![(PadTarget::Button(0), "surface press".into())],
            hands: common.hands.into_iter().chain(whole.map(|target| (target, Hand::Middle))).collect(),
            ..common
        }
    }

    /// The system's name for the pad of a slot.
    #[must_use]
    pub fn title_of(&self, slot: u8) -> String {
        if self.numbered { format!("{} {slot}", self.title) } else { self.title.clone() }
    }

    /// Whether games may shake it.
    #[must_use]
    pub fn rumbles(&self) -> bool {
        self.comes_back.contains(&ComesBack::Rumble)
    }

    /// Whether its pad shows what sensors measure.
    #[must_use]
    pub fn has_sensors(&self) -> bool {
        !self.more.is_empty()
    }

    /// Whether its pad reports its device's battery to games.
    #[must_use]
    pub fn tells_battery(&self) -> bool {
        self.publisher == Publisher::Uhid(HidForm::Motion)
    }

    /// Whether it has everything that the common pad has, so that whatever suits that suits it.
    #[must_use]
    pub fn is_as_common(&self) -> bool {
        TARGETS.iter().all(|target| self.has(*target))
    }

    /// Whether there is a pad to make.
    #[must_use]
    pub fn is_made(&self) -> bool {
        self.publisher != Publisher::Nobody
    }

    /// Whether its pad has this.
    #[must_use]
    pub fn has(&self, target: PadTarget) -> bool {
        self.targets.contains(&target)
    }

    /// Whether it has the common pad's keys, axes and hat under the same codes, and nothing else.
    #[must_use]
    pub fn is_written_as_common(&self) -> bool {
        let common = |axis: &PadAxis| AXIS_CODES.get(axis.lane).is_some_and(|code| *code == axis.info.code);
        self.keys == KEYS
            && self.axes.len() == AXIS_CODES.len()
            && self.axes.iter().all(common)
            && self.hats == [HAT]
            && self.more.is_empty()
    }

    /// Those of its targets that lie on a lane.
    pub fn on_lane(&self, lane: usize) -> impl Iterator<Item = PadTarget> + '_ {
        self.targets.iter().copied().filter(move |target| target.axis().is_some_and(|(own, _)| own == lane))
    }

    /// Its name for an axis, by lane; none if nothing lies on that.
    #[must_use]
    pub fn lane_name(&self, lane: usize) -> Option<&str> {
        let target = self.on_lane(lane).next()?;
        let usual = AXIS_NAMES.get(lane).filter(|_| !self.names.iter().any(|(own, _)| *own == target));
        let name = usual.copied().unwrap_or_else(|| self.name_of(target));
        Some(name.strip_suffix(" minus").or_else(|| name.strip_suffix(" plus")).unwrap_or(name))
    }

    /// What a target is called here.
    #[must_use]
    pub fn name_of(&self, target: PadTarget) -> &str {
        let own = self.names.iter().find(|(own, _)| *own == target);
        own.map_or_else(|| target.name(), |(_, name)| name)
    }

    /// Under which hand a target is; none if the pad is not held in both.
    #[must_use]
    pub fn hand_of(&self, target: PadTarget) -> Option<Hand> {
        self.hands.iter().find(|(own, _)| *own == target).map(|(_, hand)| *hand)
    }

    /// The target with this name here, or anywhere.
    #[must_use]
    pub fn named(&self, name: &str) -> Option<PadTarget> {
        let name = name.trim();
        let own = self.names.iter().find(|(_, own)| own.eq_ignore_ascii_case(name)).map(|(target, _)| *target);
        own.or_else(|| PadTarget::named(name))
    }

    /// The number by which games know a target of this pad, in words, counted from 0 as games do.
    #[must_use]
    pub fn game_index(&self, target: PadTarget) -> String {
        // Games count buttons and axes in the order of their codes; hats' axes do not count.
        let on_axis = |lane: usize| self.axes.iter().any(|axis| axis.lane == lane);
        let key = self.keys.iter().find(|(own, _)| *own == target);
        let key = key.filter(|_| !target.axis().is_some_and(|(lane, _)| on_axis(lane)));
        if let Some((_, code)) = key {
            return format!("button {}", self.keys.iter().filter(|(_, other)| other < code).count());
        }
        match target.axis() {
            Some((lane, sign)) => match self.axes.iter().find(|axis| axis.lane == lane) {
                Some(axis) => {
                    format!("axis {}{}", self.axis_rank(axis.info.code), if sign < 0.0 { '-' } else { '+' })
                }
                None => String::new(),
            },
            None => {
                let at = |hat| PadTarget::hat(hat).iter().position(|own| *own == target);
                let hat = target.hat_of().and_then(|hat| Some((hat, at(hat)?)));
                let Some((hat, at)) = hat else { return String::new() };
                match self.hats.get(usize::from(hat)) {
                    // Up and left are the lower end.
                    Some(own) if own.appears() && !own.is_hat() => {
                        let code = own.codes[usize::from(at < 2)];
                        format!("axis {}{}", self.axis_rank(code), if at % 2 == 0 { '-' } else { '+' })
                    }
                    _ => format!(
                        "hat {} {}",
                        self.hats.iter().take(hat.into()).filter(|own| own.is_hat()).count(),
                        WAYS[at]
                    ),
                }
            }
        }
    }

    /// The number by which games know the axis with a code: its place in the order of codes, not counting hats.
    fn axis_rank(&self, code: u16) -> usize {
        let hats = self.hats.iter().filter(|hat| hat.appears() && !hat.is_hat()).flat_map(|hat| hat.codes);
        self.axes.iter().map(|axis| axis.info.code).chain(hats).filter(|other| *other < code).count()
    }

    /// The lanes of its axes that are lines.
    pub fn lines(&self) -> impl Iterator<Item = usize> + '_ {
        self.axes.iter().filter_map(|axis| axis.lane.checked_sub(FIRST_LINE)).filter(|line| *line < LINES.len())
    }
}
