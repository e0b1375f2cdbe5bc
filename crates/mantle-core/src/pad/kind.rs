//! Kinds of pad as people choose them, and their options.

use super::model::PadModel;
use super::own::OwnPad;
use super::target::{FIRST_LINE, HATS};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// The kernel's codes of axes that a flight stick may have, in order, with their names and lanes.
pub const FLIGHT_AXES: [(&str, usize); 11] = [
    ("X", 0),
    ("Y", 1),
    ("Z", FIRST_LINE),
    ("Rx", 2),
    ("Ry", 3),
    ("Rz", FIRST_LINE + 1),
    ("throttle", FIRST_LINE + 2),
    ("rudder", FIRST_LINE + 3),
    ("wheel", FIRST_LINE + 4),
    ("gas", FIRST_LINE + 5),
    ("brake", FIRST_LINE + 6),
];
/// The most buttons of a flight stick: those of the joystick range, and the extra ones.
pub const FLIGHT_BUTTONS: u8 = 56;
/// Buttons that it has at least.
pub const FEWEST_BUTTONS: u8 = 2;
/// Buttons of the joystick range.
pub(super) const OF_THE_JOYSTICK_RANGE: u8 = 16;

/// What a flight stick has.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub struct FlightShape {
    /// Its axes, one bit each, by [`FLIGHT_AXES`].
    pub axes: u16,
    /// How many buttons, [`FEWEST_BUTTONS`] to [`FLIGHT_BUTTONS`].
    pub buttons: u8,
    /// How many hats, 0 to 4.
    pub hats: u8,
}

impl Default for FlightShape {
    fn default() -> Self {
        Self::USUAL
    }
}

impl FlightShape {
    /// The default flight stick: X, Y, Rz, throttle, 12 buttons, a hat.
    pub const USUAL: Self = Self { axes: 0b110_0011, buttons: 12, hats: 1 };

    /// A shape with these; whatever there is no room for is left out. It always has X, Y and two buttons, since udev takes nothing less for a
    /// joystick (measured: of the buttons and the axes from Rx on, it wants two).
    #[must_use]
    pub fn new(axes: u16, buttons: u8, hats: u8) -> Self {
        let axes = axes & ((1 << FLIGHT_AXES.len()) - 1) | 0b11;
        Self { axes, buttons: buttons.clamp(FEWEST_BUTTONS, FLIGHT_BUTTONS), hats: hats.min(HATS) }
    }

    /// The names of its axes.
    pub fn axis_names(self) -> impl Iterator<Item = &'static str> {
        FLIGHT_AXES.iter().enumerate().filter(move |(at, _)| self.axes >> at & 1 == 1).map(|(_, (name, _))| *name)
    }

    /// A number that other shapes hardly share, never 0: FNV-1a over its contents, folded to 16 bits.
    #[must_use]
    pub fn digest(self) -> u16 {
        let bytes = [self.axes as u8, (self.axes >> 8) as u8, self.buttons, self.hats];
        let hash = bytes.iter().fold(0x811c_9dc5u32, |hash, byte| (hash ^ u32::from(*byte)).wrapping_mul(0x0100_0193));
        ((hash >> 16) ^ (hash & 0xffff)).max(1) as u16
    }
}

/// The kinds of virtual output.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PadKind {
    /// The pad that every game knows.
    #[default]
    Common,
    /// The same as a separate device: a browser keeps several of those, but only one of the others.
    Apart,
    /// A joystick with chosen axes, buttons and hats.
    Flight(FlightShape),
    /// The common pad with motion and a touch surface.
    Motion,
    /// Keyboard and mouse alone: no pad is made.
    Keys,
    /// What a text file says.
    Own(Arc<OwnPad>),
}

impl From<Arc<OwnPad>> for PadKind {
    fn from(own: Arc<OwnPad>) -> Self {
        Self::Own(own)
    }
}

/// One step of an option of a kind of pad.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum KindStep {
    /// The next kind.
    Next,
    /// One button more.
    More,
    /// One button less.
    Fewer,
    /// Another number of hats.
    Hats,
    /// Other axes.
    Axes,
    /// Made the other way.
    Made,
}

impl PadKind {
    /// One of each kind, with everything it can have.
    #[must_use]
    pub fn widest() -> [Self; 4] {
        Self::offers(FlightShape::new(u16::MAX, u8::MAX, u8::MAX))
    }

    /// Its name as people see it.
    #[must_use]
    pub fn name(&self) -> &str {
        match self {
            Self::Own(own) => &own.name,
            _ => self.shipped_name(),
        }
    }

    /// The same of a kind that comes with the program; none for a person's own.
    #[must_use]
    pub fn shipped_name(&self) -> &'static str {
        match self {
            Self::Own(_) => "",
            Self::Common | Self::Apart => "common pad",
            Self::Flight(_) => "flight stick",
            Self::Motion => "motion pad",
            Self::Keys => "keys",
        }
    }

    /// What plays as that kind plays as this one.
    #[must_use]
    pub fn with_article(&self) -> String {
        match self {
            Self::Common => "a common pad".into(),
            Self::Apart => "a common pad that is a device of its own".into(),
            Self::Flight(_) => "a flight stick".into(),
            Self::Motion => "a motion pad".into(),
            Self::Keys => "keys only".into(),
            Self::Own(own) => format!("the pad {}", own.name),
        }
    }

    /// What a pad of this kind is.
    #[must_use]
    pub fn model(&self) -> PadModel {
        match self {
            Self::Own(own) => own.model(),
            Self::Common => PadModel::common(),
            Self::Apart => PadModel::common_apart(),
            Self::Flight(shape) => PadModel::flight(*shape),
            Self::Motion => PadModel::motion(),
            Self::Keys => PadModel::nothing(),
        }
    }

    /// One of each kind, as suits a device that would play such a flight stick.
    #[must_use]
    pub fn offers(flight: FlightShape) -> [Self; 4] {
        [Self::Common, Self::Flight(flight), Self::Motion, Self::Keys]
    }

    /// Whether it has options.
    #[must_use]
    pub fn is_shaped(&self) -> bool {
        matches!(self, Self::Flight(_))
    }

    /// Whether it can be made in two ways.
    #[must_use]
    pub fn has_two_ways(&self) -> bool {
        matches!(self, Self::Common | Self::Apart)
    }

    /// The next of the offered kinds, or another shape of this one.
    #[must_use]
    pub fn stepped(&self, step: KindStep, offers: &[Self]) -> Self {
        if step == KindStep::Next {
            let at = offers.iter().position(|kind| kind.is_like(self)).map_or(0, |at| at + 1);
            return offers.get(at).or(offers.first()).cloned().unwrap_or_else(|| self.clone());
        }
        let Self::Flight(FlightShape { axes, buttons, hats }) = self.clone() else {
            return match (self, step) {
                (Self::Common, KindStep::Made) => Self::Apart,
                (Self::Apart, KindStep::Made) => Self::Common,
                _ => self.clone(),
            };
        };
        let own = offers.iter().find_map(|kind| if let Self::Flight(shape) = kind { Some(shape.axes) } else { None });
        // The device's own controls; one stick; a stick with a twist and a throttle; all of them.
        let all = [own.unwrap_or(axes), 0b11, FlightShape::USUAL.axes, (1 << FLIGHT_AXES.len()) - 1];
        let next = all.iter().position(|own| *own == axes).map_or(0, |at| at + 1);
        let (axes, buttons, hats) = match step {
            KindStep::Next | KindStep::Made => (axes, buttons, hats),
            KindStep::More => (axes, buttons + 1, hats),
            KindStep::Fewer => (axes, buttons.saturating_sub(1), hats),
            KindStep::Hats => (axes, buttons, (hats + 1) % (HATS + 1)),
            KindStep::Axes => (all[next % all.len()], buttons, hats),
        };
        Self::Flight(FlightShape::new(axes, buttons, hats))
    }

    /// The contents of its file, if it is a person's own.
    #[must_use]
    pub fn own(&self) -> Option<&Arc<OwnPad>> {
        if let Self::Own(own) = self { Some(own) } else { None }
    }

    /// The same as a separate device, if it can be one and is not.
    #[must_use]
    pub fn set_apart(&self) -> Option<Self> {
        (*self == Self::Common).then_some(Self::Apart)
    }

    /// Whether another one is of the same kind, whatever its options.
    #[must_use]
    pub fn is_like(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Own(own), Self::Own(other)) => own.file == other.file,
            (Self::Own(_), _) | (_, Self::Own(_)) => false,
            _ => self.name() == other.name(),
        }
    }

    /// Whether something said for the kind of pad with this name is meant for it: a person's own belongs to the kind that it begins with.
    #[must_use]
    pub fn answers_to(&self, name: &str) -> bool {
        match self {
            Self::Own(own) => own.name == name || own.like.name() == name,
            _ => self.name() == name,
        }
    }

    /// Adds whatever another one of its kind has as well.
    #[must_use]
    pub fn with(&self, other: &Self) -> Self {
        match (self, other) {
            (Self::Flight(one), Self::Flight(two)) => {
                let (buttons, hats) = (one.buttons.max(two.buttons), one.hats.max(two.hats));
                Self::Flight(FlightShape::new(one.axes | two.axes, buttons, hats))
            }
            _ => self.clone(),
        }
    }

    /// Adds the axes of another one of its kind.
    #[must_use]
    pub fn with_axes(&self, other: &Self) -> Self {
        match (self, other) {
            (Self::Flight(one), Self::Flight(two)) => {
                Self::Flight(FlightShape::new(one.axes | two.axes, one.buttons, one.hats))
            }
            _ => self.clone(),
        }
    }

    /// Its options in words, or else what it is.
    #[must_use]
    pub fn has(&self) -> String {
        match self {
            Self::Own(own) => own.has(),
            Self::Common => "the pad that every game knows".to_owned(),
            Self::Apart => "a device of its own: for several in one browser".to_owned(),
            Self::Motion => "the common pad with motion and a touch surface".to_owned(),
            Self::Keys => "no pad: keys and the mouse".to_owned(),
            Self::Flight(shape) => {
                let axes = match shape.axis_names().count() {
                    many @ 7.. => format!("{many} axes"),
                    _ => shape.axis_names().collect::<Vec<_>>().join(" "),
                };
                let hats = match shape.hats {
                    0 => "no hats".to_owned(),
                    1 => "1 hat".to_owned(),
                    many => format!("{many} hats"),
                };
                format!("{axes}, {} buttons, {hats}", shape.buttons)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_is_reachable_and_every_shape_stays_within_limits() {
        let offers = PadKind::offers(FlightShape::new(0b1111, 3, 0));
        let mut kind = PadKind::Common;
        let mut seen = Vec::new();
        for _ in 0..4 {
            kind = kind.stepped(KindStep::Next, &offers);
            seen.push(kind.name().to_owned());
        }
        assert_eq!(seen, ["flight stick", "motion pad", "keys", "common pad"]);
        let mut flight = offers[1].clone();
        for step in [KindStep::Fewer, KindStep::Fewer, KindStep::Hats, KindStep::Axes, KindStep::Axes, KindStep::Axes] {
            flight = flight.stepped(step, &offers);
        }
        assert_eq!(flight, PadKind::Flight(FlightShape::new(u16::MAX, FEWEST_BUTTONS, 1)));
        assert_eq!(flight.stepped(KindStep::Axes, &offers).has(), "X Y Z Rx, 2 buttons, 1 hat");
        assert_eq!(PadKind::Keys.stepped(KindStep::More, &offers), PadKind::Keys, "there is nothing to choose");
        let apart = PadKind::Common.stepped(KindStep::Made, &offers);
        assert_eq!((&apart, apart.stepped(KindStep::Made, &offers)), (&PadKind::Apart, PadKind::Common));
        assert_eq!(apart.stepped(KindStep::Next, &offers), offers[1], "it is the same kind, and the next one follows");
        let wide = offers[1].with(&PadKind::Flight(FlightShape::new(0b110_0000, 8, 2)));
        assert_eq!(wide.has(), "X Y Z Rx Rz throttle, 8 buttons, 2 hats");
    }
}
