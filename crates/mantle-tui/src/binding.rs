//! Bindings changed from the screen: a target is chosen, something is pressed or typed, and where another target loses
//! its source by that the person is asked.

use crate::app::App;
use crate::keys::{Binding, Intent};
use crate::over::{Over, Swap, TypedFor, Typing};
use crate::rows::{Message, Row, Then, View};
use mantle_talk::{
    BindingRow, Change, Command, ControlRow, Detail, KeyTarget, KeysView, Named, SlotNumber, Stage, TARGETS, Target,
};

fn source(target: Target, layer: &str, source: Option<&str>, inverted: bool) -> Change {
    Change::Source { target, layer: layer.to_owned(), source: source.map(str::to_owned), inverted }
}

impl App {
    /// The slot whose bindings are seen.
    pub(crate) fn bound_slot(&self) -> Option<SlotNumber> {
        match self.row {
            Some(Row::Slot(slot)) if self.view == View::Stage && self.stage == Stage::Bindings => Some(slot),
            _ => None,
        }
    }

    /// What can be chosen: the controls of the pad, and in the Bindings view what is typed beside it.
    pub(crate) fn targets(&self) -> Vec<Target> {
        match &self.snapshot.detail {
            Detail::Slot(slot) if Some(slot.number) == self.bound_slot() => {
                slot.bindings.iter().map(|row| row.target).collect()
            }
            _ => {
                let row = self.snapshot.slots.iter().find(|slot| self.row == Some(Row::Slot(slot.number)));
                row.map_or_else(|| TARGETS.to_vec(), |row| row.kind.model().targets)
            }
        }
    }

    /// The chosen target.
    pub(crate) fn target(&self) -> Target {
        let targets = self.targets();
        if self.listening || targets.contains(&self.target) {
            return self.target;
        }
        targets.first().copied().unwrap_or(Target::South)
    }

    /// The next one, or the one before, and around.
    pub(crate) fn step_target(&mut self, forward: bool) {
        let targets = self.targets();
        if targets.is_empty() {
            return;
        }
        let at = targets.iter().position(|target| *target == self.target()).unwrap_or(0);
        self.target = targets[(at + if forward { 1 } else { targets.len() - 1 }) % targets.len()];
    }

    /// What the seen slot types.
    pub(crate) fn types(&self) -> Option<&KeysView> {
        match &self.snapshot.detail {
            Detail::Slot(slot) if self.row == Some(Row::Slot(slot.number)) => slot.keys.as_ref(),
            _ => None,
        }
    }

    /// The person agrees to what the slot's profile would type; or, if they have, no longer.
    pub(crate) fn let_type(&mut self) {
        let (Some(Row::Slot(slot)), Some(keys)) = (self.row, self.types()) else {
            self.message = Some("this slot's profile types nothing".into());
            return;
        };
        let allowed = !keys.not_agreed.is_empty();
        self.command(Command::LetType { slot, allowed }, Then::Nothing);
    }

    /// A part of the name of a key was typed: what shall play it is to be pressed.
    pub(crate) fn type_stroke(&mut self, slot: SlotNumber, text: &str) {
        let lower = text.to_lowercase();
        let exact = KeyTarget::named(text).or_else(|| KeyTarget::named(&format!("key {text}")));
        let fits: Vec<KeyTarget> = match exact {
            Some(stroke) => vec![stroke],
            None => KeyTarget::all().filter(|stroke| stroke.name().to_lowercase().contains(&lower)).collect(),
        };
        match fits.as_slice() {
            [stroke] => {
                self.target = Target::Key(*stroke);
                self.listen(slot);
            }
            [] => self.message = Some(format!("nothing that can be typed has {text} in its name").into()),
            several => {
                let names: Vec<&str> = several.iter().take(6).map(|stroke| stroke.name()).collect();
                self.message = Some(format!("{text} could be {}: type more of it", names.join(", ")).into());
            }
        }
    }

    pub(crate) fn listen(&mut self, slot: SlotNumber) {
        self.target = if self.target.is_key() { self.target } else { self.target() };
        self.listening = true;
        self.take_demo_in_hand();
        self.command(Command::Listen { slot, target: self.target }, Then::Nothing);
    }

    fn binding(&self, target: Target) -> Option<&BindingRow> {
        match &self.snapshot.detail {
            Detail::Slot(slot) => slot.bindings.iter().find(|row| row.target == target),
            _ => None,
        }
    }

    pub(crate) fn handle_binding(&mut self, wanted: Binding) {
        let Some(slot) = self.bound_slot() else {
            self.message = Some("bindings are changed in their own view: B".into());
            return;
        };
        let (target, layer) = (self.target(), self.layer());
        match wanted {
            Binding::Next => self.step_target(true),
            Binding::Before => self.step_target(false),
            Binding::Press => {
                self.target = target;
                self.listen(slot);
            }
            Binding::KeyTarget => self.over = Some(Over::Typing(Typing::new(TypedFor::KeyTarget(slot)))),
            Binding::Nothing if target.is_key() => self.edit(slot, vec![source(target, &layer, None, false)]),
            Binding::Nothing => self.edit(slot, vec![source(target, &layer, Some("none"), false)]),
            Binding::AsGuessed => self.edit(slot, vec![source(target, &layer, None, false)]),
            Binding::Type => self.over = Some(Over::Typing(Typing::new(TypedFor::Source(slot, target)))),
            Binding::Name => self.over = Some(Over::Typing(Typing::new(TypedFor::Action(slot, target)))),
            Binding::Rename => self.over = Some(Over::Typing(Typing::new(TypedFor::Profile(slot)))),
            Binding::Copy => self.command(Command::NewProfile { slot, like: None }, Then::Nothing),
            _ => self.handle_options(slot, wanted),
        }
    }

    pub(crate) fn edit(&mut self, slot: SlotNumber, changes: Vec<Change>) {
        self.command(Command::Edit { slot, changes }, Then::Nothing);
    }

    /// What is to be pressed, if it is not what shall play the chosen target.
    pub(crate) fn asked_press(&self) -> Option<String> {
        let layer = self.new_layer.as_ref().map(|name| format!("Press what shall be held for {name}, and let it go."));
        layer.or_else(|| self.new_with.then(|| "Press what has to be held as well, and let it go.".to_owned()))
    }

    /// A press is listened for no more.
    pub(crate) fn stop_listening(&mut self) {
        (self.new_layer, self.new_with) = (None, false);
        if std::mem::take(&mut self.listening) {
            self.command(Command::StopListening, Then::Nothing);
            self.put_down();
        }
    }

    /// What came of listening.
    pub(crate) fn look_at_capture(&mut self) {
        let Some(capture) = self.snapshot.capture.clone().filter(|_| self.listening) else { return };
        if Some(capture.slot) != self.bound_slot() || capture.target != self.target() {
            return;
        }
        if let Some((source, inverted, why)) = capture.taken {
            let (new_layer, new_with) = (self.new_layer.take(), self.new_with);
            self.stop_listening();
            if new_with {
                let (target, layer) = (capture.target, self.layer());
                self.message =
                    Some(Message::Done(format!("{} only while {why} is held; u takes it back", target.name())));
                return self.edit(capture.slot, vec![Change::With { target, layer, named: Some(source) }]);
            }
            if let Some(name) = new_layer {
                self.message = Some(Message::Done(format!("{name} is held by {why}; u takes it back")));
                self.layer.clone_from(&name);
                return self.edit(capture.slot, vec![Change::Layer { name, hold: Some(source), toggle: false }]);
            }
            self.message = Some(Message::Done(format!("{} ← {why}; u takes it back", capture.target.name())));
            self.bind(capture.slot, capture.target, source, inverted);
        } else if let Some(why) = capture.unclear {
            self.message = Some(why.into());
            self.command(Command::Listen { slot: capture.slot, target: capture.target }, Then::Nothing);
        }
    }

    /// A target gets a source; if that plays another one, it is asked what becomes of that.
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
                self.message = None;
                self.over = Some(Over::Swap(Swap { slot, target, other, source: named, inverted, old }));
            }
        }
    }

    /// A part of a control's name was typed: the one control that it means plays the target.
    pub(crate) fn type_source(&mut self, slot: SlotNumber, target: Target, text: &str) {
        let Detail::Slot(detail) = &self.snapshot.detail else { return };
        let lower = text.to_lowercase();
        let named = Named::parse(&lower);
        let controls = || detail.devices.iter().flat_map(|device| &device.controls);
        let of = |control: &ControlRow, part| Named { control: control.name.clone(), part };
        let exact = |name: &str| controls().find(|control| control.name.to_lowercase() == name);
        // Without a part taken off first: a control may be called like one.
        let own = exact(&lower).map(|control| of(control, None));
        let found = match own.or_else(|| exact(&named.control).map(|control| of(control, named.part))) {
            Some(found) => vec![found],
            None => {
                let fits = |control: &&ControlRow| control.name.to_lowercase().contains(&named.control);
                controls().filter(fits).map(|control| of(control, named.part)).collect()
            }
        };
        match found.as_slice() {
            [found] => {
                let source = found.text();
                self.bind(slot, target, source, false);
            }
            [] => self.message = Some(format!("no control of this slot has {text} in its name").into()),
            several => {
                let names: Vec<&str> = several.iter().take(6).map(|named| named.control.as_str()).collect();
                self.message = Some(format!("{text} could be {}: type more of it", names.join(", ")).into());
            }
        }
    }

    /// What becomes of the other target.
    pub(crate) fn handle_swap(&mut self, intent: Intent, swap: &Swap) {
        let layer = self.layer();
        let source = |target, named, inverted| source(target, &layer, named, inverted);
        let mut changes = vec![source(swap.target, Some(&swap.source), swap.inverted)];
        match (intent, &swap.old) {
            (Intent::MoveSource, _) | (Intent::SwapSources, None) => {
                changes.push(source(swap.other, Some("none"), false))
            }
            (Intent::SwapSources, Some(old)) => changes.push(source(swap.other, Some(old), false)),
            (Intent::BothTargets, _) => changes.push(source(swap.other, Some(&swap.source), swap.inverted)),
            _ => return,
        }
        self.edit(swap.slot, changes);
    }
}

/// Whether two names mean the same source; a whole travel is also written without saying so.
fn same(a: &str, b: &str) -> bool {
    let plain = |text: &str| text.strip_suffix(" whole").unwrap_or(text).to_lowercase();
    plain(a) == plain(b)
}
