//! What is noticed of a playing member: what becomes of presses, and what is wrong with its controls.

use super::Member;
use crate::binding::{Binding, DOUBLED, How, Named, Options, Profile, options_of};
use crate::control::{Control, ControlKind, ControlNumber, Zone};
use crate::time::Micros;
use crate::watch::{Ailment, LastMove, Outcome, way};
use mantle_hid::Frame;

impl Member {
    /// The present state of its part.
    pub fn look(&mut self, now: Micros, frame: &Frame) {
        let frame = self.corrected(frame);
        let mut watch = std::mem::take(&mut self.watch);
        watch.look(
            now,
            self.controls(),
            &frame,
            |control| self.rest_of(control),
            |control| self.bindings.uses(control),
        );
        self.watch = watch;
    }

    /// What moved last.
    #[must_use]
    pub fn moved(&self) -> Option<LastMove> {
        self.watch.moved()
    }

    /// Faults of its controls, seen during play.
    pub fn ailments(&self, now: Micros) -> impl Iterator<Item = (&Control, Ailment)> {
        let all = self.watch.ailments(now, self.controls());
        all.filter_map(|(at, ailment)| Some((self.controls().get(at)?, ailment)))
    }

    /// Where an axis should rest.
    #[must_use]
    pub fn rest_of(&self, control: ControlNumber) -> Option<Zone> {
        self.bindings.rests.iter().find(|(number, _)| *number == control).map(|(_, zone)| *zone)
    }

    /// Whether a playing control gives anything now, and whether the pad shows all of it; `shown` gives a target's distance
    /// from rest on the pad.
    pub fn passes(&self, number: ControlNumber, shown: impl Fn(crate::pad::PadTarget) -> bool) -> bool {
        let own = self.bindings.list.iter().filter(|binding| binding.control == number);
        own.map(|binding| binding.target).any(|target| self.gives(target) > 0.0 && target.pad().is_none_or(&shown))
    }

    /// What becomes of a control that is off its rest in this frame.
    #[must_use]
    pub fn outcome(&self, number: ControlNumber, frame: &Frame, profile: &Profile) -> Outcome {
        let Some(control) = self.controls().iter().find(|control| control.number == number) else {
            return Outcome::Waits;
        };
        let frame = &self.corrected(frame);
        let raw = control.raw(frame);
        let share = control.share(raw);
        let meant = |binding: &&Binding| match binding.how {
            How::Down | How::Travel => true,
            How::Direction(bit) => control.hat_directions(raw) & u32::from(bit) != 0,
            How::LowerHalf => control.kind == ControlKind::Relative || share < 0.5,
            How::UpperHalf => control.kind == ControlKind::Relative || share >= 0.5,
        };
        let own: Vec<&Binding> =
            self.bindings.list.iter().filter(|binding| binding.control == number).filter(meant).collect();
        // Bindings of another profile are not explained by this one.
        if own.iter().any(|binding| binding.rule.is_some_and(|rule| usize::from(rule) >= profile.rules.len())) {
            return Outcome::Waits;
        }
        let gives: Vec<_> = own.iter().map(|binding| (binding.target, self.gives(binding.target))).collect();
        if gives.iter().any(|(_, share)| *share > 0.0) {
            return Outcome::Gives(gives);
        }
        if self.waits(control) {
            return Outcome::Waits;
        }
        let named = |named: &Named| named.control.eq_ignore_ascii_case(&control.name);
        let helps = profile.layers.iter().any(|layer| named(&layer.hold))
            || profile
                .rules
                .iter()
                .any(|rule| rule.options.with.iter().any(named) || rule.options.centre.as_ref().is_some_and(named));
        if own.is_empty() && helps {
            return Outcome::Helps;
        }
        if own.is_empty() {
            let left = self.bindings.left_out.iter().find(|left| left.control == number);
            let why = left.map_or("the profile has no use for it", |left| left.why);
            // It goes down together with a control that plays.
            return if why == DOUBLED { Outcome::Helps } else { Outcome::Unbound(why) };
        }
        let layers = self.layers();
        let on = |layer: u8| layer == 0 || layers >> (layer - 1) & 1 == 1;
        // A binding in an active layer is blocked by its options; otherwise by the layers.
        let because = own.iter().filter(|binding| on(binding.layer));
        let mut hindered = because.filter_map(|binding| {
            let options = options_of(profile, binding, control);
            self.hindered(&options, binding, control, frame)
        });
        if let Some(outcome) = hindered.next() {
            return outcome;
        }
        if let Some(binding) = own.iter().find(|binding| !on(binding.layer))
            && !own.iter().any(|binding| on(binding.layer))
            && let Some(layer) = profile.layer(usize::from(binding.layer))
        {
            return Outcome::OtherLayer(layer.name.clone(), layer.hold.text(), layer.toggle);
        }
        let highest = (0..profile.layers.len()).rev().find(|at| layers >> at & 1 == 1);
        match highest.and_then(|at| profile.layers.get(at)) {
            Some(layer) => Outcome::Hidden(layer.name.clone(), layer.toggle),
            None if helps => Outcome::Helps,
            None => Outcome::Waits,
        }
    }

    /// The option that keeps a binding from playing.
    fn hindered(&self, options: &Options, binding: &Binding, control: &Control, frame: &Frame) -> Option<Outcome> {
        let down = |named: &Named| {
            let other = self.controls().iter().find(|other| other.name.eq_ignore_ascii_case(&named.control));
            other.is_some_and(|other| other.is_down(other.raw(frame)))
        };
        let missing: Vec<String> = options.with.iter().filter(|named| !down(named)).map(Named::text).collect();
        if !missing.is_empty() {
            return Some(Outcome::Together(missing));
        }
        let way = way(control, control.share(control.raw(frame)), self.rest_of(control.number));
        let from = options.press.map_or(options.threshold, |(press, _)| press.max(options.threshold));
        if way < from {
            return Some(Outcome::Below(from, way, binding.target, usize::from(binding.layer)));
        }
        // It was toggled off, or counts only when it is released.
        (options.toggle || options.tap.0 > 0 || options.region.is_some()).then_some(Outcome::Waits)
    }
}
