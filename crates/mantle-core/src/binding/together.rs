//! Which bindings play together: in which layers, combined, or alone on their axis.

use super::build::control_of;
use super::drag::Region;
use super::{Binding, Bindings, How, Options, Profile, Rule, resolve};
use crate::control::PartLayout;
use crate::pad::PadTarget;

/// Whether a binding has no options.
pub(super) fn has_no_options(profile: &Profile, binding: &Binding, part: &PartLayout) -> bool {
    control_of(part, binding)
        .is_none_or(|control| *resolve::options_of(profile, binding, control) == Options::default())
}

/// Whether a binding is active while these layers are on: its layer must be the last that says something about its target, and no
/// layer above may use its control.
pub(super) fn is_visible(profile: &Profile, bindings: &Bindings, binding: &Binding, set: usize) -> bool {
    let on = |layer: usize| layer == 0 || set >> (layer - 1) & 1 == 1;
    let plays = |rule: usize| !bindings.not_found.iter().any(|(other, _)| usize::from(*other) == rule);
    let says = profile.rules.iter().enumerate().filter(|(at, rule)| rule.target == binding.target && plays(*at));
    let top = says.map(|(_, rule)| rule.layer).filter(|layer| on(*layer)).max().unwrap_or(0);
    // A control used by a layer does nothing else meanwhile.
    let used_above = |other: &Binding| {
        other.layer > binding.layer
            && on(usize::from(other.layer))
            && other.control == binding.control
            && overlap(other.how, binding.how)
    };
    usize::from(binding.layer) == top && !bindings.list.iter().any(used_above)
}

/// The regions in which the same control plays something else in the same layer; a binding without a region does not apply there.
pub(super) fn regions_beside(profile: &Profile, binding: &Binding, part: &PartLayout) -> Vec<Region> {
    let Some(control) = control_of(part, binding) else { return Vec::new() };
    if binding.rule.is_some_and(|rule| profile.rules[usize::from(rule)].options.region.is_some()) {
        return Vec::new();
    }
    let beside = profile.rules.iter().filter(|rule| rule.layer == usize::from(binding.layer));
    let means = |rule: &&Rule| {
        let found = rule.source.as_ref().and_then(|named| resolve::find(part, named, rule.target.direction()).ok());
        found.is_some_and(|(other, how)| other.number == control.number && overlap(how, binding.how))
    };
    beside.filter(|rule| rule.options.region.is_some()).filter(means).filter_map(|rule| rule.options.region).collect()
}

/// Whether two states of a control can be reached together.
pub(super) fn overlap(one: How, other: How) -> bool {
    one == other || matches!(one, How::Travel) || matches!(other, How::Travel)
}

/// Whether no other control plays the same axis, and nothing in it lasts; a combined result is more than the
/// compiled form can express.
pub(super) fn has_axis_alone(
    profile: &Profile,
    bindings: &Bindings,
    part: &PartLayout,
    at: usize,
    visible: &[bool],
) -> bool {
    let own = &bindings.list[at];
    let Some(axis) = own.target.pad().filter(|target| target.is_stick()).and_then(PadTarget::opposed) else {
        return true;
    };
    let halves = [(How::LowerHalf, axis.0), (How::UpperHalf, axis.1)];
    let is_half = |one: &Binding| halves.iter().any(|(how, target)| one.how == *how && one.target == *target);
    let mut others = bindings.list.iter().zip(visible).filter(|(other, _)| other.target.opposed() == Some(axis));
    others.all(|(other, visible)| {
        has_no_options(profile, other, part) && (!visible || other.control == own.control && is_half(other))
    })
}

/// Whether the compiled form can take this binding: both halves of an axis, and all directions of a hat, are one unit there.
pub(super) fn goes_as_one(bindings: &Bindings, at: usize, of: impl Fn(usize) -> bool) -> bool {
    let own = &bindings.list[at];
    let with = |how: How, target: PadTarget| {
        let is_it = |(other, one): (usize, &Binding)| {
            of(other) && one.control == own.control && one.how == how && one.target == target
        };
        bindings.list.iter().enumerate().any(is_it)
    };
    match own.how {
        How::Down | How::Travel => true,
        How::Direction(_) => own.target.pad().and_then(PadTarget::hat_of).is_some_and(|hat| {
            [1, 2, 4, 8].into_iter().zip(PadTarget::hat(hat)).all(|(bit, target)| with(How::Direction(bit), target))
        }),
        How::LowerHalf | How::UpperHalf => {
            own.target.opposed().is_some_and(|(low, high)| with(How::LowerHalf, low) && with(How::UpperHalf, high))
        }
    }
}
