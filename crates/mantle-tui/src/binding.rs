//! Changes bindings: choose a target, then press or choose a source. If another target loses its source,
//! the person is asked what should happen to it.

use crate::app::App;
use crate::keys::{Binding, Intent};
use crate::listed::{face_of, same};
use crate::mode::{Mode, PressFor, Swap, TypedFor};
use crate::rows::{Row, Then};
use mantle_talk::{
    BindingRow, Change, Command, Detail, DeviceDetail, KeysView, PadTarget, SlotNumber, Stage, TARGETS, Target,
    block_of, spoken,
};

fn source(target: Target, layer: &str, source: Option<&str>, inverted: bool) -> Change {
    Change::Source { target, layer: layer.to_owned(), source: source.map(str::to_owned), inverted }
}

impl App {
    /// The slot whose bindings are shown.
    pub(crate) fn bound_slot(&self) -> Option<SlotNumber> {
        self.slot_at(Stage::Bindings)
    }

    /// The targets that can be chosen: the pad's controls and, in the Bindings view, typed keys.
    pub(crate) fn targets(&self) -> Vec<Target> {
        match &self.snapshot.detail {
            Detail::Slot(slot) if Some(slot.number) == self.bound_slot() => {
                slot.bindings.iter().map(|row| row.target).collect()
            }
            _ => {
                let all = self.slot_row().map_or_else(|| TARGETS.to_vec(), |row| row.kind.model().targets);
                all.into_iter().map(Target::Pad).collect()
            }
        }
    }

    /// The chosen target.
    pub(crate) fn target(&self) -> Target {
        let targets = self.targets();
        if self.listening().is_some() || targets.contains(&self.target) {
            return self.target;
        }
        targets.first().copied().unwrap_or(Target::Pad(PadTarget::South))
    }

    /// Moves to the next or previous target, wrapping around.
    pub(crate) fn step_target(&mut self, forward: bool) {
        let targets = self.targets();
        if targets.is_empty() {
            return;
        }
        let at = targets.iter().position(|target| *target == self.target()).unwrap_or(0);
        self.target = targets[(at + if forward { 1 } else { targets.len() - 1 }) % targets.len()];
    }

    /// What the shown slot types.
    pub(crate) fn types(&self) -> Option<&KeysView> {
        match &self.snapshot.detail {
            Detail::Slot(slot) if self.row == Some(Row::Slot(slot.number)) => slot.keys.as_ref(),
            _ => None,
        }
    }

    /// Allows the slot's profile to type, or withdraws that.
    pub(crate) fn let_type(&mut self) {
        let (Some(Row::Slot(slot)), Some(keys)) = (self.row, self.types()) else {
            self.message = Some("this slot's profile types nothing".into());
            return;
        };
        let allowed = !keys.not_agreed.is_empty();
        self.command(Command::LetType { slot, allowed }, Then::Nothing);
    }

    fn binding(&self, target: Target) -> Option<&BindingRow> {
        match &self.snapshot.detail {
            Detail::Slot(slot) => slot.bindings.iter().find(|row| row.target == target),
            _ => None,
        }
    }

    pub(crate) fn handle_binding(&mut self, wanted: Binding) {
        let Some(slot) = self.bound_slot() else {
            self.message = Some("bindings are changed in the Bindings view: B".into());
            return;
        };
        let (target, layer) = (self.target(), self.layer());
        match wanted {
            Binding::Next => self.step_target(true),
            Binding::Before => self.step_target(false),
            // Motion and other wholes cannot be pressed, so their source is chosen from the list.
            Binding::Press if target.pad().is_some_and(PadTarget::is_whole) => {
                self.ask_line(TypedFor::Source(slot, target));
            }
            Binding::Press => {
                self.target = target;
                self.listen(slot, PressFor::Target);
            }
            Binding::KeyTarget => self.ask_line(TypedFor::KeyTarget(slot)),
            Binding::Nothing if target.is_key() => self.edit(slot, vec![source(target, &layer, None, false)]),
            Binding::Nothing => self.edit(slot, vec![source(target, &layer, Some("none"), false)]),
            Binding::AsGuessed => self.edit(slot, vec![source(target, &layer, None, false)]),
            Binding::Type => self.ask_line(TypedFor::Source(slot, target)),
            Binding::Block => match block_of(target) {
                Some(block) => self.ask_line(TypedFor::Block(slot, block)),
                None => self.message = Some("choose a direction of a stick, hat or d-pad first".into()),
            },
            Binding::List => self.ask_line(TypedFor::List(slot)),
            Binding::Face => {
                let own = match &self.snapshot.detail {
                    Detail::Slot(detail) if !detail.face.is_empty() => detail.face.text(),
                    Detail::Slot(detail) => detail
                        .devices
                        .iter()
                        .find(|own| !own.face.is_empty())
                        .map(|own| own.face.text())
                        .unwrap_or_default(),
                    _ => String::new(),
                };
                self.ask_line_with(TypedFor::Face(slot), &own);
            }
            Binding::Name => {
                let own = self.binding(target).and_then(|row| row.action.clone()).unwrap_or_default();
                self.ask_line_with(TypedFor::Action(slot, target), &own);
            }
            Binding::Rename => {
                let own = self.slot_row().map(|row| row.profile.clone()).unwrap_or_default();
                self.ask_line_with(TypedFor::Profile(slot), &own);
            }
            Binding::Copy => self.command(Command::NewProfile { slot, like: None }, Then::Nothing),
            _ => self.handle_options(slot, wanted),
        }
    }

    pub(crate) fn edit(&mut self, slot: SlotNumber, changes: Vec<Change>) {
        self.command(Command::Edit { slot, changes }, Then::Nothing);
    }

    /// Binds a source to a target. If the source played another target, it is taken from there, and the person
    /// is offered what else can be done.
    pub(crate) fn bind(&mut self, slot: SlotNumber, target: Target, named: String, inverted: bool) {
        let in_layer = self.layer();
        let plays = |row: &BindingRow| row.said.iter().any(|(own, layer, _)| *layer == in_layer && same(own, &named));
        let Detail::Slot(detail) = &self.snapshot.detail else { return };
        let other = detail.bindings.iter().find(|row| row.target != target && plays(row)).map(|row| row.target);
        match other {
            None => self.edit(slot, vec![source(target, &in_layer, Some(&named), inverted)]),
            Some(other) => {
                let old = self.binding(target).and_then(|row| row.said.iter().find(|(_, layer, _)| *layer == in_layer));
                let old = old.map(|(own, ..)| own.clone());
                let moved = source(target, &in_layer, Some(&named), inverted);
                self.edit(slot, vec![moved, source(other, &in_layer, Some("none"), false)]);
                self.message = None;
                self.mode = Mode::Swap(Swap { slot, target, other, source: named, inverted, old });
            }
        }
    }

    /// Binds a control that was typed in words that the list does not offer.
    pub(crate) fn type_source(&mut self, slot: SlotNumber, target: Target, text: &str) -> Result<(), String> {
        let Detail::Slot(detail) = &self.snapshot.detail else { return Ok(()) };
        if target.pad().is_some_and(PadTarget::is_whole) {
            // The source is a vector, not a control: the engine knows it by name.
            self.bind(slot, target, text.to_owned(), false);
            return Ok(());
        }
        let controls: Vec<_> = detail.devices.iter().flat_map(DeviceDetail::seen_controls).collect();
        match spoken(&controls, text) {
            Ok(found) => {
                let source = found.text();
                self.bind(slot, target, source, false);
                Ok(())
            }
            Err(several) if several.is_empty() => Err(format!("no control of this slot has {text} in its name")),
            Err(several) => {
                let names: Vec<&str> = several.iter().take(6).map(String::as_str).collect();
                Err(format!("{text} could be {}: type more", names.join(", ")))
            }
        }
    }

    /// Takes over where controls sit.
    pub(crate) fn take_face(&mut self, slot: SlotNumber, text: &str) -> Result<(), String> {
        let Detail::Slot(detail) = &self.snapshot.detail else { return Ok(()) };
        let face = face_of(detail, text)?;
        self.edit(slot, vec![Change::Face(face)]);
        Ok(())
    }

    /// Settles the target that lost its source.
    pub(crate) fn handle_swap(&mut self, intent: Intent, swap: &Swap) {
        let layer = self.layer();
        let (named, inverted) = match (intent, &swap.old) {
            (Intent::SwapSources, Some(old)) => (old, false),
            (Intent::BothTargets, _) => (&swap.source, swap.inverted),
            _ => return,
        };
        let changes = vec![source(swap.other, &layer, Some(named), inverted)];
        self.command(Command::Amend { slot: swap.slot, changes }, Then::Nothing);
    }
}
