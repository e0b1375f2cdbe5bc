//! The bindings of a part, and its unused controls.

use super::{Binding, BindingNumber, How, Target, WholeBinding};
use crate::control::{Control, ControlNumber, Zone};
use crate::pad::{PadModel, PadTarget};

/// The bindings of one part, and the controls left without one.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Bindings {
    /// All bindings, by number.
    pub list: Vec<Binding>,
    /// Targets that are played as wholes, such as motion.
    pub wholes: Vec<WholeBinding>,
    /// Controls without a default binding.
    pub left_out: Vec<LeftOut>,
    /// Rules of the profile that this part cannot play, by index, and why.
    pub not_found: Vec<(u16, String)>,
    /// Axes whose rest is to be judged, and where it should be.
    pub rests: Vec<(ControlNumber, Zone)>,
}

/// An unused control.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct LeftOut {
    /// The control.
    pub control: ControlNumber,
    /// Why it is unused, and what could be done with it.
    pub why: &'static str,
}

impl Bindings {
    /// The bindings of a target.
    pub fn of(&self, target: impl Into<Target>) -> impl Iterator<Item = &Binding> {
        let target = target.into();
        self.list.iter().filter(move |binding| binding.target == target)
    }

    /// The targets that have a source, as bits of [`Target::mask`].
    #[must_use]
    pub fn bound(&self) -> u128 {
        self.bound_without(&[])
    }

    /// The same, ignoring these controls.
    #[must_use]
    pub(crate) fn bound_without(&self, controls: &[ControlNumber]) -> u128 {
        let listed = self.list.iter().filter(|binding| !controls.contains(&binding.control));
        let wholes = self.wholes.iter().map(|whole| whole.target.mask());
        listed.map(|binding| binding.target.mask()).chain(wholes).fold(0, |all, mask| all | mask)
    }

    pub(super) fn bind(&mut self, target: PadTarget, control: &Control, how: How) {
        let number = BindingNumber(self.list.len() as u16);
        self.list.push(Binding { number, target: target.into(), control: control.number, how, layer: 0, rule: None });
    }

    /// Drops bindings that the pad has no place for; their controls become unused.
    pub(super) fn on(mut self, model: &PadModel) -> Self {
        let before = std::mem::take(&mut self.list);
        let (kept, gone): (Vec<_>, Vec<_>) = before.into_iter().partition(|binding| binding.target.is_on(model));
        self.list = kept;
        for (at, binding) in self.list.iter_mut().enumerate() {
            binding.number = BindingNumber(at as u16);
        }
        for binding in gone {
            if !self.uses(binding.control) && !self.left_out.iter().any(|left| left.control == binding.control) {
                self.left_out
                    .push(LeftOut { control: binding.control, why: "the pad does not have what it would play" });
            }
        }
        self
    }

    pub(super) fn leave(&mut self, control: &Control, why: &'static str) {
        if !self.left_out.iter().any(|left| left.control == control.number) {
            self.left_out.push(LeftOut { control: control.number, why });
        }
    }

    /// Whether a control plays anything.
    #[must_use]
    pub fn uses(&self, control: ControlNumber) -> bool {
        self.list.iter().any(|binding| binding.control == control)
            || self.wholes.iter().any(|whole| whole.controls.contains(&control))
    }
}
