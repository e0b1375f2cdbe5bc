//! Compiles a profile for a part: what runs compiled, what runs as steps, what has no position of its own, and what
//! moves the pointer.

use super::compiled::is_more;
use super::drag::{self, Drag, Finger};
use super::engine::{Engine, Switch, WatchedPlace};
use super::fold::{Fold, Given, Opposed};
use super::mover::{Leave, Mover, Pull, present_bit};
use super::step::{BindingStep, Hold, Input, Spot, StepSource};
use super::together::{goes_as_one, has_axis_alone, has_no_options, is_visible, regions_beside};
use super::{Binding, Bindings, Combine, Compiled, How, LAYERS, Named, Opposite, Profile, Target, resolve};
use crate::control::{Control, ControlKind, PartLayout, Place};
use crate::pad::PadTarget;
use crate::time::Micros;

impl Engine {
    /// Compiles what a profile says about a part, as resolved by [`resolve`].
    #[must_use]
    pub fn new(profile: &Profile, bindings: &Bindings, part: &PartLayout) -> Self {
        let layers = profile.layers.len().min(LAYERS);
        let mut out = Self { opposite: profile.opposite, ..Self::default() };
        if profile.turn != [0.0, 0.0] {
            out.turn = Some(profile.turn.map(|degrees| {
                let angle = degrees.to_radians();
                (angle.cos(), angle.sin())
            }));
        }
        for layer in &profile.layers[..layers] {
            // A layer whose control the device lacks is never on, but keeps its number.
            let hold = hold_of(part, &layer.hold).unwrap_or(Hold::new(Input::NOTHING));
            out.switches.push(Switch { hold, toggle: layer.toggle, on: false });
        }
        let plain = |binding: &Binding| out.is_plain(profile, binding, part);
        let plain: Vec<bool> = bindings.list.iter().map(plain).collect();
        let mut left = vec![0u16; bindings.list.len()];
        for set in 0..1usize << layers {
            let mut compiled = Compiled::default();
            let mut inside = Vec::new();
            let visible: Vec<bool> = bindings.list.iter().map(|one| is_visible(profile, bindings, one, set)).collect();
            for (at, binding) in bindings.list.iter().enumerate().filter(|(at, _)| visible[*at]) {
                let of = |other: usize| plain[other] && visible[other];
                let one =
                    plain[at] && goes_as_one(bindings, at, of) && has_axis_alone(profile, bindings, part, at, &visible);
                match control_of(part, binding).zip(binding.target.pad()).filter(|_| one) {
                    Some((control, target)) => {
                        compiled.add(control, binding.how, target);
                        inside.push(binding.number);
                    }
                    None => left[at] |= 1 << set,
                }
            }
            out.sets.push(compiled);
            out.plain.push(inside);
        }
        out.add_steps(profile, bindings, part, &left);
        out.add_movers(profile, bindings, part);
        let more = |fold: &Fold| fold.target.pad().is_some_and(is_more);
        out.plays_more = out.sets.iter().any(Compiled::has_more) || out.folds.iter().any(more);
        out.moves = !out.movers.is_empty() || !out.drags.is_empty();
        out
    }

    /// Whether a binding needs no memory: it has no options, and no other source that does.
    fn is_plain(&self, profile: &Profile, binding: &Binding, part: &PartLayout) -> bool {
        let Some(control) = control_of(part, binding) else { return false };
        let Target::Pad(target) = binding.target else { return false };
        let is_bit = matches!(control.place, Place::Bit(_));
        let opposed = target.opposed().is_some() && self.opposite == Opposite::Last;
        matches!(control.kind, ControlKind::Axis | ControlKind::Button | ControlKind::Hat | ControlKind::Key)
            && has_no_options(profile, binding, part)
            && regions_beside(profile, binding, part).is_empty()
            && profile.combine_of(binding.target) == Combine::Largest
            && !opposed
            && match binding.how {
                How::Down => !target.is_stick() && (is_bit || binding.rule.is_none()),
                How::Direction(bit) => target.hat_of().is_some() && target.direction() == Some(bit),
                How::Travel => !is_bit && target.is_pulled(),
                How::LowerHalf | How::UpperHalf => {
                    let sign = if binding.how == How::LowerHalf { -1.0 } else { 1.0 };
                    target.is_pulled() || target.axis().is_some_and(|(_, own)| own == sign) && target.is_stick()
                }
            }
    }

    /// Both directions of a control share one reach and one spring: those of the first binding that sets any.
    fn add_movers(&mut self, profile: &Profile, bindings: &Bindings, part: &PartLayout) {
        // A control that only holds a layer or a chord needs a position, too.
        let rules = profile.rules.iter().flat_map(|rule| rule.options.with.iter().chain(&rule.options.centre));
        let named = profile.layers.iter().map(|layer| &layer.hold).chain(rules);
        let held = named.filter_map(|named| resolve::find(part, named, None).ok().map(|(control, _)| control));
        let played = bindings
            .list
            .iter()
            .filter_map(|binding| control_of(part, binding).filter(|control| drag::draws(control, binding).is_none()));
        for control in played.chain(held) {
            let known = |mover: &Mover| control.place == Place::Value(mover.value());
            if self.movers.iter().any(known) {
                continue;
            }
            let all = bindings.list.iter().filter(|one| one.control == control.number);
            let all = all.filter(|one| drag::draws(control, one).is_none());
            let all: Vec<_> = all.map(|one| (one.how, resolve::options_of(profile, one, control))).collect();
            let mover = match control.kind {
                ControlKind::Relative => {
                    let pull = |how: How| {
                        let own = || all.iter().filter(move |(other, _)| *other == how);
                        let usual = Pull::default();
                        let reach = own().find_map(|(_, options)| options.reach).unwrap_or(usual.reach);
                        let spring = own().find_map(|(_, options)| options.spring).unwrap_or(usual.spring);
                        Pull { reach, spring }
                    };
                    let centre = all.iter().find_map(|(_, options)| options.centre.as_ref());
                    let centre = centre.and_then(|named| hold_of(part, named));
                    Mover::counted(control, [pull(How::LowerHalf), pull(How::UpperHalf)], centre)
                }
                ControlKind::Pointer | ControlKind::Contact => {
                    let leave = all.iter().map(|(_, options)| options.leave).find(|leave| *leave != Leave::Centre);
                    Mover::placed(control, present_bit(part, control), leave.unwrap_or_default())
                }
                _ => None,
            };
            self.movers.extend(mover);
        }
    }

    fn add_steps(&mut self, profile: &Profile, bindings: &Bindings, part: &PartLayout, left: &[u16]) {
        let mut order: Vec<usize> = (0..left.len()).filter(|at| left[*at] != 0).collect();
        order.sort_by_key(|at| (bindings.list[*at].target.index(), *at));
        for at in order {
            let binding = &bindings.list[at];
            let Some(control) = control_of(part, binding) else { continue };
            let options = resolve::options_of(profile, binding, control);
            let with: Option<Vec<Hold>> = options.with.iter().map(|named| hold_of(part, named)).collect();
            // Half a chord would be pressed by accident, so it plays nothing.
            let Some(with) = with else { continue };
            if drag::draws(control, binding).is_some() {
                self.drags.extend(Drag::new(part, control, binding, &options, left[at], with));
                continue;
            }
            let end = self.steps.len() as u16;
            let (target, combine) = (binding.target, profile.combine_of(binding.target));
            match self.folds.last_mut().filter(|fold| fold.target == target) {
                Some(fold) => fold.steps.1 = end + 1,
                None => {
                    let (value, off, since, due) = (0.0, false, Micros(0), Micros::NEVER);
                    let (steps, given) = ((end, end + 1), Given::of(target));
                    self.folds.push(Fold { target, given, combine, steps, value, stale: true, due, off, since });
                }
            }
            let input = Input::new(control, binding.how);
            let outside = regions_beside(profile, binding, part);
            let somewhere = options.region.is_some() || !outside.is_empty() || options.tap > Micros(0);
            let finger = Finger::of(part).filter(|_| somewhere);
            let spot = finger.map(|finger| Spot { finger, inside: options.region, outside });
            let held: Vec<StepSource> = with.iter().map(|hold| hold.input.source()).collect();
            let step = BindingStep::new(input, target, left[at], &options, with, spot);
            for source in std::iter::once(input.source()).chain(held).chain(step.follows()) {
                let own = (end, self.folds.len() as u16 - 1);
                match self.watched.iter_mut().find(|watched| watched.source == source) {
                    Some(watched) => watched.steps.push(own),
                    None => self.watched.push(WatchedPlace { source, last: 0, steps: vec![own] }),
                }
            }
            self.steps.push(step);
            self.numbers.push(binding.number);
        }
        for switch in &self.switches {
            match switch.hold.input.source() {
                StepSource::Bit { word, bit } => self.watched_bits[usize::from(word)] |= 1 << bit,
                StepSource::Value(_) => self.held_by_value = true,
            }
        }
        for WatchedPlace { source, last, steps } in std::mem::take(&mut self.watched) {
            match source {
                StepSource::Bit { word, bit } => {
                    self.watched_bits[usize::from(word)] |= 1 << bit;
                    self.watched.push(WatchedPlace { source, last, steps });
                }
                StepSource::Value(source) => self.watched_values.push(WatchedPlace { source, last, steps }),
            }
        }
        for fold in &self.folds {
            if let Target::Key(stroke) = fold.target {
                self.strokes.push((stroke, 0.0));
            }
        }
        for (at, fold) in self.folds.iter().enumerate() {
            let Some(directions) = fold.target.opposed() else { continue };
            let place =
                |target: PadTarget| self.folds.iter().position(|other| other.target == target).map(|at| at as u16);
            // Once per axis, by its first fold.
            let both = [place(directions.0), place(directions.1)];
            if both.iter().flatten().min() == Some(&(at as u16)) {
                self.axes.push(Opposed::new(directions, both));
            }
        }
    }
}

pub(super) fn control_of<'a>(part: &'a PartLayout, binding: &Binding) -> Option<&'a Control> {
    part.controls.iter().find(|control| control.number == binding.control)
}

/// The control with this name that holds something, if the device has it.
fn hold_of(part: &PartLayout, named: &Named) -> Option<Hold> {
    resolve::find(part, named, None).ok().map(|(control, how)| Hold::new(Input::new(control, how)))
}
