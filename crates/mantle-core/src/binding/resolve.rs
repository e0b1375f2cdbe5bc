//! Resolves a profile against a device's controls: which control plays which target, what is unused, and why.

use super::bindings::LeftOut;
use super::by_code::by_code;
use super::default;
use super::shared::{Beside, shared_out};
use super::together::overlap;
use super::wholes;
use super::{Binding, BindingNumber, Bindings, How, Named, Options, Part, Profile, Rule};
use crate::control::{Control, ControlKind, PartLayout, Place, Zone};
use crate::pad::{PadModel, PadTarget};
use crate::suggest::nearest;
use crate::time::Micros;
use mantle_hid::{Usage, usage};
use std::borrow::Cow;

/// What plays what on a part, by the profile and, where it says nothing, by default. `beside` is what the player's other devices
/// have already, as bits of [`PadTarget::mask`](crate::pad::PadTarget::mask).
#[must_use]
pub fn resolve(profile: &Profile, part: &PartLayout, model: &PadModel, beside: Beside) -> Bindings {
    let mut out = resolve_parts(profile, part, model, beside);
    wholes::resolve(profile, part, model, beside.taken, &mut out);
    out
}

/// The same for everything that is not played as a whole.
fn resolve_parts(profile: &Profile, part: &PartLayout, model: &PadModel, beside: Beside) -> Bindings {
    let guessed = match model {
        _ if model.is_as_common() => default::default_bindings(part),
        // A pad file's pad that is held in both hands, with fewer or other controls.
        _ if !model.hands.is_empty() => default::default_bindings(part).on(model),
        _ => by_code(part, model),
    };
    let guessed = shared_out(guessed, model, beside, part.half);
    if profile.rules.is_empty() && profile.layers.is_empty() && profile.defaults {
        return guessed;
    }
    let mut out = Bindings::default();
    for (index, rule) in profile.rules.iter().enumerate() {
        let Some(source) = &rule.source else { continue };
        if !rule.target.is_on(model) {
            let why = match model.is_made() {
                true => format!("a {} has no {}", model.name, rule.target.name()),
                false => format!("there is no pad, so there is no {}", rule.target.name()),
            };
            out.not_found.push((index as u16, why));
            continue;
        }
        if rule.target.pad().is_some_and(PadTarget::is_whole) {
            continue;
        }
        match find(part, source, rule.target.direction()) {
            Ok((control, how)) => {
                let number = BindingNumber(out.list.len() as u16);
                let (target, control) = (rule.target, control.number);
                out.list.push(Binding {
                    number,
                    target,
                    control,
                    how,
                    layer: rule.layer as u8,
                    rule: Some(index as u16),
                });
            }
            Err(why) => out.not_found.push((index as u16, why)),
        }
    }
    if profile.defaults {
        keep_guesses(profile, part, &guessed, &mut out);
    }
    for binding in &out.list {
        let Some(control) = part.controls.iter().find(|one| one.number == binding.control) else { continue };
        let is_axis = control.kind == ControlKind::Axis;
        let backwards = options_of(profile, binding, control).inverted;
        let zone = match binding.how {
            How::Travel if backwards => Zone::HighEnd,
            How::Travel => Zone::LowEnd,
            How::LowerHalf | How::UpperHalf => Zone::Middle,
            How::Down | How::Direction(_) => continue,
        };
        if is_axis && !out.rests.iter().any(|(number, _)| *number == binding.control) {
            out.rests.push((binding.control, zone));
        }
    }
    let held = |control: &Control| {
        let named = profile
            .layers
            .iter()
            .map(|layer| &layer.hold)
            .chain(profile.rules.iter().flat_map(|rule| &rule.options.with));
        named.into_iter().any(|named| named.control.eq_ignore_ascii_case(&control.name))
    };
    for control in part.controls.iter().filter(|control| !held(control)) {
        if !out.uses(control.number) {
            let why = guessed.left_out.iter().find(|left| left.control == control.number).map(|left| left.why);
            out.left_out.push(LeftOut { control: control.number, why: why.unwrap_or("the profile has no use for it") });
        }
    }
    out
}

/// A binding's options: as written or, for a default binding, from the axis's measured rest.
#[must_use]
pub fn options_of<'a>(profile: &'a Profile, binding: &Binding, control: &Control) -> Cow<'a, Options> {
    match binding.rule {
        Some(rule) => Cow::Borrowed(&profile.rules[usize::from(rule)].options),
        // Each step of a wheel is a press.
        None if control.kind == ControlKind::Relative && control.usage == usage::WHEEL => {
            Cow::Owned(Options { reach: Some(1.0), shortest: Micros::millis(80), ..Options::default() })
        }
        None => {
            let inverted = binding.how == How::Travel && default::is_backwards(control);
            Cow::Owned(Options { inverted, ..Options::default() })
        }
    }
}

/// A default binding stands unless the base of the profile says something about its target or control.
fn keep_guesses(profile: &Profile, part: &PartLayout, guessed: &Bindings, out: &mut Bindings) {
    let spoken = |rule: &&Rule| rule.layer == 0;
    let targets = profile.rules.iter().filter(spoken).fold(0, |all, rule| all | rule.target.mask());
    let used: Vec<_> = out.list.iter().filter(|binding| binding.layer == 0).map(|one| (one.control, one.how)).collect();
    let held: Vec<_> = profile.layers.iter().filter_map(|layer| find(part, &layer.hold, None).ok()).collect();
    for binding in &guessed.list {
        let taken = used.iter().any(|(control, how)| *control == binding.control && overlap(*how, binding.how))
            || held.iter().any(|(control, _)| control.number == binding.control);
        if targets & binding.target.mask() == 0 && !taken {
            out.list.push(Binding { number: BindingNumber(out.list.len() as u16), ..*binding });
        }
    }
}

/// The control that is probably meant by a misspelt name.
#[must_use]
pub fn meant<'a>(names: impl Iterator<Item = &'a str>, name: &str) -> Option<&'a str> {
    // A different number means a different control, never a typing error.
    let digits = |text: &str| text.chars().filter(char::is_ascii_digit).collect::<String>();
    let alike: Vec<&str> = names.filter(|other| digits(other) == digits(name)).collect();
    nearest(name, &alike)
}

/// The control that a name means on a part, and which state of it. If the name does not say, the state towards this
/// direction, one of the four bits of a hat.
///
/// # Errors
/// In words, why it cannot be played.
pub(super) fn find<'a>(part: &'a PartLayout, named: &Named, towards: Option<u8>) -> Result<(&'a Control, How), String> {
    let name = &named.control;
    let own = part.controls.iter().find(|control| control.name.eq_ignore_ascii_case(name));
    // A key can also be meant by its number.
    let own = own.or_else(|| name.starts_with("key 0x").then(|| part.find(Usage::from_name(name)?)).flatten());
    let Some(control) = own else {
        let all = part.controls.iter().map(|control| control.name.as_str());
        let meant = meant(all, name).map(|meant| format!("; did you mean {meant}?")).unwrap_or_default();
        return Err(format!("the device has no control named {name}{meant}"));
    };
    let how = match (control.kind, named.part) {
        (ControlKind::Button | ControlKind::Key, None) => How::Down,
        (ControlKind::Button, Some(Part::Whole)) => How::Travel,
        (ControlKind::Hat, Some(Part::Up)) => How::Direction(1),
        (ControlKind::Hat, Some(Part::Down)) => How::Direction(2),
        (ControlKind::Hat, Some(Part::Left)) => How::Direction(4),
        (ControlKind::Hat, Some(Part::Right)) => How::Direction(8),
        (ControlKind::Hat, None) => match towards {
            Some(direction) => How::Direction(direction),
            None => return Err(format!("{name} is a hat: say which direction, such as \"{name} up\"")),
        },
        (ControlKind::Contact | ControlKind::State, None) if matches!(control.place, Place::Bit(_)) => How::Down,
        (kind, Some(Part::LowerHalf)) if kind.is_wide() => How::LowerHalf,
        (kind, Some(Part::UpperHalf)) if kind.is_wide() => How::UpperHalf,
        (ControlKind::Pointer | ControlKind::Contact, Some(Part::Whole)) => How::Travel,
        // A wheel counts up when turned away from the person.
        (ControlKind::Relative, None) if control.usage == usage::WHEEL => match towards {
            Some(1) => How::UpperHalf,
            Some(2) => How::LowerHalf,
            _ => return Err(format!("{name} turns both ways: say which way, such as \"{name} upper half\"")),
        },
        (kind, None) if kind.is_wide() => match towards {
            // Up and left have small raw values.
            Some(direction) => {
                if direction & 5 != 0 {
                    How::LowerHalf
                } else {
                    How::UpperHalf
                }
            }
            None => return Err(format!("{name} goes both ways: say which half, such as \"{name} upper half\"")),
        },
        (ControlKind::Axis, Some(Part::LowerHalf)) => How::LowerHalf,
        (ControlKind::Axis, Some(Part::UpperHalf)) => How::UpperHalf,
        (ControlKind::Axis, Some(Part::Whole) | None) => How::Travel,
        (kind, Some(part)) => return Err(format!("{name} is a {} and has no {}", kind.word(), part.word())),
        (kind, None) => return Err(format!("{name} is a {}, which cannot be bound yet", kind.word())),
    };
    Ok((control, how))
}
