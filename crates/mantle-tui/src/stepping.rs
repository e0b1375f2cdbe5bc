//! Layers and options of bindings, chosen and stepped on the screen.

use crate::app::App;
use crate::keys::Binding;
use crate::options::{Choice, applied, options_in, widely};
use crate::over::{Over, TypedFor, Typing};
use mantle_talk::{BindingRow, Change, Combine, Detail, OptionsView, SlotNumber};

impl App {
    /// The layers of the slot whose bindings are seen: names, what is held for them, and whether that switches them.
    pub(crate) fn layers(&self) -> &[(String, String, bool)] {
        match &self.snapshot.detail {
            Detail::Slot(slot) if Some(slot.number) == self.bound_slot() => &slot.layers,
            _ => &[],
        }
    }

    /// The layer whose bindings are seen; empty for the base.
    pub(crate) fn layer(&self) -> String {
        let known = self.layers().iter().any(|(name, ..)| *name == self.layer);
        if known { self.layer.clone() } else { String::new() }
    }

    fn chosen_row(&self) -> Option<&BindingRow> {
        let target = self.target();
        match &self.snapshot.detail {
            Detail::Slot(slot) => slot.bindings.iter().find(|row| row.target == target),
            _ => None,
        }
    }

    /// The options of what is chosen, where it has any of its own.
    pub(crate) fn chosen_options(&self) -> Option<OptionsView> {
        options_in(self.chosen_row()?, &self.layer())
    }

    pub(crate) fn handle_options(&mut self, slot: SlotNumber, wanted: Binding) {
        match wanted {
            Binding::NextLayer => {
                let layers = self.layers();
                let at = layers.iter().position(|(name, ..)| *name == self.layer);
                let next = at.map_or(0, |at| at + 1);
                self.layer = layers.get(next).map_or(String::new(), |(name, ..)| name.clone());
            }
            Binding::NewLayer => self.over = Some(Over::Typing(Typing::new(TypedFor::Layer(slot)))),
            Binding::DropLayer => {
                let name = self.layer();
                if name.is_empty() {
                    self.message = Some("the base is always there".into());
                    return;
                }
                self.layer.clear();
                self.edit(slot, vec![Change::Layer { name, hold: None, toggle: false }]);
            }
            Binding::ToggleLayer => {
                let name = self.layer();
                let own = self.layers().iter().find(|(own, ..)| *own == name).cloned();
                match own {
                    Some((name, hold, toggle)) => {
                        self.edit(slot, vec![Change::Layer { name, hold: Some(hold), toggle: !toggle }]);
                    }
                    None => self.message = Some("the base is always on; y goes to a layer".into()),
                }
            }
            Binding::NextOption | Binding::BeforeOption => {
                let count = self.chosen_options().map_or(1, |own| Choice::of(&own, self.target()).len());
                let by = if wanted == Binding::NextOption { 1 } else { count - 1 };
                self.choice = (self.choice % count + by) % count;
            }
            Binding::More | Binding::Less => self.step_option(slot, wanted == Binding::More),
            _ => {}
        }
    }

    fn step_option(&mut self, slot: SlotNumber, up: bool) {
        let (target, layer) = (self.target(), self.layer());
        let Some(row) = self.chosen_row() else { return };
        let all = options_in(row, &layer).map_or(vec![Choice::Combine], |own| Choice::of(&own, target));
        let choice = all[self.choice % all.len()];
        if choice == Choice::Combine {
            let all = [Combine::Largest, Combine::Sum, Combine::Last];
            let at = all.iter().position(|own| *own == row.combine).unwrap_or(0);
            let next = all[(at + if up { 1 } else { 2 }) % 3];
            return self.edit(slot, vec![Change::Combine(target, next)]);
        }
        let Some(own) = options_in(row, &layer) else {
            self.message = Some("it is guessed: bind it yourself first (Enter), then it has options".into());
            return;
        };
        // What was asked for and is not there yet counts: keys come faster than files are saved.
        let pending = self.pending_option.as_ref().filter(|(of, there, _)| (*of, there) == (target, &layer));
        let own = pending.map_or(own, |(_, _, own)| *own);
        if choice == Choice::With {
            if up {
                self.new_with = true;
                return self.listen(slot);
            }
            return self.edit(slot, vec![Change::With { target, layer, named: None }]);
        }
        if let Some(which) = choice.step_wide(&own, target, up) {
            self.pending_option = Some((target, layer, widely(own, which)));
            return self.edit(slot, vec![Change::Wide(which)]);
        }
        if let Some(which) = choice.step(&own, up) {
            self.pending_option = Some((target, layer.clone(), applied(own, which)));
            self.edit(slot, vec![Change::Option { target, layer, which }]);
        }
    }

    /// A layer has a name: what shall be held for it is to be pressed.
    pub(crate) fn name_layer(&mut self, slot: SlotNumber, name: &str) {
        self.new_layer = Some(name.to_owned());
        self.listen(slot);
    }
}
