//! A person's own pads: a kind of pad as described by a text file, what it begins with, and what a common library would make of it.

use super::kind::FLIGHT_AXES;
use super::model::{AXIS_NAMES, PadIdentity, PadModel, PadStick, Publisher, code};
use super::parts::{AbsInfo, ComesBack, PadAxis, PadHat};
use super::target::{HATS, LINES, PadTarget};
use super::{FIRST_LINE, FlightShape};
use serde::{Deserialize, Serialize};

/// The kind that a person's own pad begins with.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub enum PadStart {
    /// The common pad.
    #[default]
    Common,
    /// A flight stick of the default shape.
    Flight,
}

impl PadStart {
    /// Both, by the names of their kinds.
    pub const ALL: [(&'static str, Self); 2] = [("common pad", Self::Common), ("flight stick", Self::Flight)];

    /// The name of its kind.
    #[must_use]
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(_, own)| *own == self).map_or("", |(name, _)| name)
    }

    /// What such a pad is.
    #[must_use]
    pub fn model(self) -> PadModel {
        match self {
            Self::Common => PadModel::common(),
            Self::Flight => PadModel::flight(FlightShape::USUAL),
        }
    }

    /// The codes that buttons get, in order, if none are given: those of its own kind, followed by others.
    #[must_use]
    pub fn button_codes(self) -> Vec<u16> {
        let own: Vec<u16> = match self {
            Self::Common => vec![0x130, 0x131, 0x133, 0x134, 0x136, 0x137, 0x13a, 0x13b, 0x13c, 0x13d, 0x13e],
            Self::Flight => (code::BTN_JOYSTICK..code::BTN_JOYSTICK + 16).collect(),
        };
        own.into_iter().chain(BEYOND).collect()
    }
}

/// Button codes that no kind of controller uses for something special.
const BEYOND: std::ops::RangeInclusive<u16> = 0x2c0..=0x2e7;
/// Codes that a button may have: numbered ones, those of joysticks and pads, of a d-pad, and further ones.
pub const BUTTON_CODES: [std::ops::RangeInclusive<u16>; 4] = [0x100..=0x109, 0x120..=0x13e, 0x220..=0x223, BEYOND];
/// Codes that an axis may have: those of sticks, triggers and the like.
pub const AXIS_CODES: std::ops::RangeInclusive<u16> = 0x00..=0x0a;
/// How far an axis may reach.
pub const REACH: i32 = 1 << 20;

/// A pad of the person's own.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub struct OwnPad {
    /// The name of its file, without the ending, by which slots remember it.
    pub file: String,
    /// What people call it.
    pub name: String,
    /// What the system is told.
    pub title: String,
    /// Whether the slot's number follows it.
    pub numbered: bool,
    /// What it begins with.
    pub like: PadStart,
    /// The ids under which it appears.
    pub identity: PadIdentity,
    /// Whether games may shake it.
    pub rumble: bool,
    /// Its buttons and their codes.
    pub buttons: Vec<(PadTarget, u16)>,
    /// Its axes.
    pub axes: Vec<PadAxis>,
    /// Its hats, unless they are buttons: which, and how they appear.
    pub hats: Vec<(u8, PadHat)>,
    /// Whether the file is missing, so that nothing is known about it.
    pub missing: bool,
}

/// The lane of an axis by its name.
#[must_use]
pub fn lane_named(name: &str) -> Option<usize> {
    let name = name.trim();
    let flown = FLIGHT_AXES.iter().find(|(own, _)| own.eq_ignore_ascii_case(name)).map(|(_, lane)| *lane);
    let common = || AXIS_NAMES.iter().position(|own| own.eq_ignore_ascii_case(name));
    let line = || LINES.iter().position(|(own, _)| own.eq_ignore_ascii_case(name)).map(|line| FIRST_LINE + line);
    flown.or_else(common).or_else(line)
}

/// The names of all axes.
pub fn lane_names() -> impl Iterator<Item = &'static str> {
    let more = LINES.iter().map(|(name, _)| *name).filter(|name| FLIGHT_AXES.iter().all(|(own, _)| own != name));
    AXIS_NAMES.into_iter().chain(FLIGHT_AXES.iter().map(|(name, _)| *name)).chain(more)
}

impl OwnPad {
    /// What it begins with, whole.
    #[must_use]
    pub fn beginning(file: &str, like: PadStart) -> Self {
        let model = like.model();
        Self {
            file: file.into(),
            name: file.into(),
            numbered: true,
            like,
            rumble: model.rumbles(),
            title: model.title,
            identity: model.identity,
            buttons: model.keys,
            axes: model.axes,
            hats: (0..HATS).zip(model.hats).collect(),
            missing: false,
        }
    }

    /// A pad whose file is missing: it plays as the common pad.
    #[must_use]
    pub fn missing(file: &str) -> Self {
        Self { missing: true, ..Self::beginning(file, PadStart::Common) }
    }

    /// What such a pad is.
    #[must_use]
    pub fn model(&self) -> PadModel {
        let begins = self.like.model();
        let of_hat = |hat: u8| self.hats.iter().any(|(own, _)| *own == hat);
        let on_axis =
            |target: PadTarget| target.axis().is_some_and(|(lane, _)| self.axes.iter().any(|axis| axis.lane == lane));
        let has = |target: &PadTarget| {
            self.buttons.iter().any(|(own, _)| own == target) || on_axis(*target) || target.hat_of().is_some_and(of_hat)
        };
        let mut targets: Vec<PadTarget> = PadTarget::all().filter(has).collect();
        if self.like == PadStart::Flight {
            // As a flight stick lists them: axes, buttons, hats.
            targets.sort_by_key(|target| {
                let flown = |lane: usize| FLIGHT_AXES.iter().position(|(_, own)| *own == lane).unwrap_or(lane);
                match (target.axis(), target.hat_of()) {
                    // For an axis, the lower end comes first.
                    (Some((lane, sign)), _) => (0, flown(lane), sign > 0.0),
                    (None, None) => (1, 0, false),
                    (None, Some(_)) => (2, 0, false),
                }
            });
        }
        let stick = |(name, lanes): (&str, [usize; 2])| {
            let there = lanes.iter().all(|lane| self.axes.iter().any(|axis| axis.lane == *lane));
            there.then(|| PadStick { name: name.into(), lanes })
        };
        let sticks = match self.like {
            PadStart::Common => [("left stick", [0, 1]), ("right stick", [2, 3])],
            PadStart::Flight => [("X and Y", [0, 1]), ("Rx and Ry", [2, 3])],
        };
        // A flight stick's own names, whatever its shape.
        let names = match self.like {
            PadStart::Common => Vec::new(),
            PadStart::Flight => PadModel::flight(FlightShape::new(u16::MAX, u8::MAX, u8::MAX)).names,
        };
        PadModel {
            name: self.name.clone(),
            title: self.title.clone(),
            numbered: self.numbered,
            identity: self.identity,
            publisher: Publisher::Uinput,
            keys: self.buttons.clone(),
            axes: self.axes.clone(),
            sticks: sticks.into_iter().filter_map(stick).collect(),
            hats: self.hats_in_order(),
            more: Vec::new(),
            comes_back: if self.rumble { vec![ComesBack::Rumble] } else { Vec::new() },
            names: names.into_iter().filter(|(target, _)| targets.contains(target)).collect(),
            hands: begins.hands.into_iter().filter(|(target, _)| targets.contains(target)).collect(),
            targets,
        }
    }

    /// Its hats, each at its own place.
    fn hats_in_order(&self) -> Vec<PadHat> {
        let last = self.hats.iter().map(|(hat, _)| usize::from(*hat) + 1).max().unwrap_or(0);
        let of = |hat: usize| self.hats.iter().find(|(own, _)| usize::from(*own) == hat).map(|(_, own)| *own);
        (0..last).map(|hat| of(hat).unwrap_or_default()).collect()
    }

    /// What it has, in words.
    #[must_use]
    pub fn has(&self) -> String {
        if self.missing {
            return format!("{}.pad.toml is missing: it plays as a common pad", self.file);
        }
        let many = |count: usize, one: &str, more: &str| match count {
            1 => format!("1 {one}"),
            count => format!("{count} {more}"),
        };
        let hats = many(self.hats.len(), "hat", "hats");
        format!("{}, {}, {hats}", many(self.axes.len(), "axis", "axes"), many(self.buttons.len(), "button", "buttons"))
    }

    /// The ids under which it appears, and the default ones.
    #[must_use]
    pub fn numbers(&self) -> String {
        let usual = self.like.model().identity;
        let one = |id: PadIdentity| format!("{:04x}:{:04x} version {:04x}", id.vendor, id.product, id.version);
        match self.identity == usual {
            true => format!("{}, as usual", one(self.identity)),
            false => format!("{}; usual is {}", one(self.identity), one(usual)),
        }
    }

    /// What games' libraries would misread of it, one sentence each; none if nothing is known.
    #[must_use]
    pub fn misread(&self) -> Vec<String> {
        let (own, common) = (self.model(), PadModel::common());
        let mut out = Vec::new();
        let known = (self.identity.vendor, self.identity.product) == (common.identity.vendor, common.identity.product);
        if known {
            out.extend(shifted(&own, &common));
        }
        let axes = |lanes: &[&str]| {
            lanes.iter().any(|name| lane_named(name).is_some_and(|lane| own.axes.iter().any(|axis| axis.lane == lane)))
        };
        if self.hats.len() > 1 && axes(&["gas", "brake"]) {
            out.push("a widespread library overlooks gas and brake of a pad with more than one hat".into());
        }
        let place = |code: u16| own.axes.iter().any(|axis| axis.info.code == code);
        if !(place(0) && place(1)) || self.buttons.len() < 2 {
            out.push(
                "the system does not recognise it as a controller: it needs the axis codes 0 and 1, and two buttons"
                    .into(),
            );
        }
        out
    }
}

/// Where libraries that go by the place of a button or an axis would take one for another: the first of each.
fn shifted(own: &PadModel, common: &PadModel) -> Vec<String> {
    let id = common.identity;
    let ids = format!("{:04x}:{:04x}", id.vendor, id.product);
    let in_order = |model: &PadModel| {
        let mut keys = model.keys.clone();
        keys.sort_by_key(|(_, code)| *code);
        keys.into_iter().map(|(target, _)| target).collect::<Vec<_>>()
    };
    let (mine, theirs) = (in_order(own), in_order(common));
    let mut out = Vec::new();
    let differs = theirs.iter().enumerate().find(|(at, target)| mine.get(*at) != Some(*target));
    if let Some((at, target)) = differs {
        let is = mine.get(at).map_or("nothing".into(), |target| own.name_of(*target).to_owned());
        out.push(format!(
            "with the ids {ids} libraries take button {at} for {}, but here it is {is}: use other ids",
            common.name_of(*target)
        ));
    }
    let lanes = |model: &PadModel| {
        let mut axes: Vec<_> = model.axes.iter().map(|axis| (axis.info.code, axis.lane)).collect();
        axes.sort_unstable();
        axes.into_iter().map(|(_, lane)| lane).collect::<Vec<_>>()
    };
    let (mine, theirs) = (lanes(own), lanes(common));
    if let Some((at, lane)) = theirs.iter().enumerate().find(|(at, lane)| mine.get(*at) != Some(*lane)) {
        let is = mine.get(at).and_then(|lane| own.lane_name(*lane)).unwrap_or("nothing");
        out.push(format!(
            "with the ids {ids} libraries take axis {at} for {}, but here it is {is}: use other ids",
            common.lane_name(*lane).unwrap_or_default()
        ));
    }
    if own.hats.first() != common.hats.first() {
        out.push(format!(
            "with the ids {ids} libraries expect the d-pad on a hat, but here it is not one: use other ids"
        ));
    }
    if !out.is_empty() && own.identity == common.identity {
        out.push("libraries keep one layout per ids and version: another layout needs another version".into());
    }
    out
}

/// The axis of a lane under a code: from end to end as far as the kind that it begins with has it.
#[must_use]
pub fn axis_of(lane: usize, code: u16, ends: Option<(i32, i32)>) -> PadAxis {
    let centred = PadTarget::all().filter(|target| target.axis().is_some_and(|(own, _)| own == lane)).count() > 1;
    let usual = match (centred, lane) {
        (true, _) => (-32_768, 32_767),
        (false, lane) if lane < FIRST_LINE => (0, super::TRIGGER_FULL),
        (false, _) => (0, super::TRAVEL_FULL),
    };
    let (min, max) = ends.unwrap_or(usual);
    PadAxis { lane, info: AbsInfo { code, min, max, resolution: 0 } }
}
