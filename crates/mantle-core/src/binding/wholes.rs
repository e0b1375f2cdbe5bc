//! Targets played as wholes: a pad's motion by a device's motion sensor, and its contacts by those of the device's surface.

use super::{Bindings, Profile};
use crate::control::{Contact, Control, ControlNumber, Measures, PartLayout, Sensors, Vector};
use crate::pad::{CONTACTS, PadModel, PadTarget, SURFACE, Sensed, Touch};
use mantle_hid::Frame;

/// The name of the source of a pad's motion: everything a device's sensor measures.
pub const MOTION: &str = "motion";

/// What on a part can play a target as a whole.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum WholeSource {
    /// Its motion sensor.
    Motion,
    /// One of its contacts, by index.
    Contact(u8),
}

/// A target that is played as a whole.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct WholeBinding {
    /// The target.
    pub target: PadTarget,
    /// Its source.
    pub source: WholeSource,
    /// The controls the source is made of.
    pub controls: Vec<ControlNumber>,
    /// Index of the profile's rule; none for a default binding.
    pub rule: Option<u16>,
}

impl WholeSource {
    /// Its name on a part.
    #[must_use]
    pub fn name(self, part: &PartLayout) -> &str {
        match self {
            Self::Motion => MOTION,
            Self::Contact(at) => part.sensors.contacts.get(usize::from(at)).map_or("contact", |one| &one.name),
        }
    }

    /// The source with this name on a part, if it can play this target.
    ///
    /// # Errors
    /// In words, why it cannot.
    pub(super) fn named(part: &PartLayout, name: &str, target: PadTarget) -> Result<Self, String> {
        let sensors = &part.sensors;
        let same = |own: &str| own.eq_ignore_ascii_case(name.trim());
        let moves = same(MOTION) || sensors.vectors.iter().any(|vector| same(&vector.name));
        match target {
            PadTarget::Motion if moves && sensors.move_it() => Ok(Self::Motion),
            PadTarget::Motion if sensors.move_it() => Err(format!("{name} is not a motion sensor: \"{MOTION}\" is")),
            PadTarget::Motion => Err("the device has no motion sensor, or its units are unknown".into()),
            _ => match sensors.contacts.iter().position(|contact| same(&contact.name)) {
                Some(at) => Ok(Self::Contact(at as u8)),
                None => {
                    let all: Vec<&str> = sensors.contacts.iter().map(|contact| contact.name.as_str()).collect();
                    match all.is_empty() {
                        true => Err("the device has no touch surface with separate contacts".into()),
                        false => Err(format!(
                            "{name} is not a contact of the device's surface; its contacts are {}",
                            all.join(", ")
                        )),
                    }
                }
            },
        }
    }

    /// The controls of a part that it is made of.
    fn controls(self, part: &PartLayout) -> Vec<ControlNumber> {
        let all: Vec<&Control> = match self {
            Self::Motion => motions(&part.sensors).flat_map(|(vector, ..)| &vector.of).collect(),
            Self::Contact(at) => match part.sensors.contacts.get(usize::from(at)) {
                Some(contact) => std::iter::once(&contact.touches).chain(&contact.at).collect(),
                None => Vec::new(),
            },
        };
        all.into_iter().map(|control| control.number).collect()
    }
}

/// The vectors that measure how a device moves, the first of each kind: the vector, what it measures, and how many steps
/// make a unit.
fn motions(sensors: &Sensors) -> impl Iterator<Item = (&Vector, Measures, f64)> {
    let all = || sensors.vectors.iter().filter_map(|vector| vector.measures().map(|(what, each)| (vector, what, each)));
    [Measures::Turning, Measures::Acceleration]
        .into_iter()
        .filter_map(move |what| all().find(|(_, own, _)| *own == what))
}

/// What plays what as a whole on a part: as rules say, otherwise whatever is there. `taken` are targets that other devices of the
/// player play already.
pub(super) fn resolve(profile: &Profile, part: &PartLayout, model: &PadModel, taken: u128, out: &mut Bindings) {
    let whole = model.targets.iter().copied().filter(|target| target.is_whole());
    for target in whole {
        let rules = || profile.rules.iter().enumerate().filter(|(_, rule)| rule.target == target);
        for (at, rule) in rules() {
            let Some(named) = &rule.source else { continue };
            if rule.layer != 0 {
                out.not_found.push((at as u16, "what is bound as a whole belongs to the base layer".into()));
                continue;
            }
            match WholeSource::named(part, &named.text(), target) {
                Ok(source) => {
                    let controls = source.controls(part);
                    out.wholes.push(WholeBinding { target, source, controls, rule: Some(at as u16) });
                }
                Err(why) => out.not_found.push((at as u16, why)),
            }
        }
        let guessed = match target {
            PadTarget::Contact(at) => {
                (usize::from(at) < part.sensors.contacts.len()).then_some(WholeSource::Contact(at))
            }
            _ => part.sensors.move_it().then_some(WholeSource::Motion),
        };
        let free = profile.defaults && rules().next().is_none() && taken & target.mask() == 0;
        if let Some(source) = guessed.filter(|_| free) {
            out.wholes.push(WholeBinding { target, source, controls: source.controls(part), rule: None });
        }
    }
    let Bindings { wholes, left_out, .. } = out;
    left_out.retain(|left| !wholes.iter().any(|whole| whole.controls.contains(&left.control)));
}

/// Whatever plays a pad's sensors, ready to run.
#[derive(Clone, Debug, Default)]
pub struct SensorPlayer {
    /// Vectors, what they measure, and how many steps make a unit.
    vectors: Vec<(Vector, Measures, f64)>,
    contacts: Vec<(usize, Contact)>,
    /// How many touches have begun.
    touched: u8,
    /// Its present state.
    sensed: Sensed,
}

impl SensorPlayer {
    /// What bindings play as wholes on a part; none if nothing.
    #[must_use]
    pub fn new(bindings: &Bindings, part: &PartLayout) -> Option<Box<Self>> {
        let mut out = Self::default();
        for WholeBinding { target, source, .. } in &bindings.wholes {
            match (source, target) {
                (WholeSource::Motion, _) => {
                    let all = motions(&part.sensors).map(|(vector, what, each)| (vector.clone(), what, each));
                    out.vectors.extend(all);
                }
                (WholeSource::Contact(at), PadTarget::Contact(to)) => {
                    let contact = part.sensors.contacts.get(usize::from(*at)).cloned();
                    out.contacts.extend(contact.map(|contact| (usize::from(*to) % CONTACTS, contact)));
                }
                (WholeSource::Contact(_), _) => {}
            }
        }
        (!bindings.wholes.is_empty()).then(|| Box::new(out))
    }

    /// Whether it measures the pad's motion.
    #[must_use]
    pub fn moves(&self) -> bool {
        !self.vectors.is_empty()
    }

    /// Its present state.
    #[must_use]
    pub fn sensed(&self) -> &Sensed {
        &self.sensed
    }

    /// Handles a frame. Returns whether its state has changed.
    pub fn handle_frame(&mut self, frame: &Frame) -> bool {
        let mut next = Sensed::default();
        for (vector, what, each) in &self.vectors {
            // NaN counts as no motion.
            let steps = vector.read(frame).map(|value| (value * each).round() as i32);
            match what {
                Measures::Turning => next.turning = steps,
                Measures::Acceleration => next.acceleration = steps,
            }
        }
        for (to, contact) in &self.contacts {
            let Some(at) = contact.read(frame) else { continue };
            let id = match self.sensed.touches[*to] {
                Some(touch) => touch.id,
                None => {
                    self.touched = self.touched.wrapping_add(1) & 0x7f;
                    self.touched
                }
            };
            next.touches[*to] = Some(Touch { id, at: at.map(|share| (share * SURFACE as f32).round() as i32) });
        }
        std::mem::replace(&mut self.sensed, next) != next
    }

    /// Everything comes to rest.
    pub fn release(&mut self) {
        self.sensed = Sensed::default();
    }
}
