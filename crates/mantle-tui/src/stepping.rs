//! Steps layers and options of bindings.

use crate::app::App;
use crate::keys::Binding;
use crate::mode::{PressFor, TypedFor};
use crate::options::{Choice, TypedOption, applied, options_in, widely};
use mantle_talk::{BindingRow, Change, Combine, Detail, OptionChange, OptionsView, PadTarget, SlotNumber};

impl App {
    /// The shown slot's layers: name, the control that holds it, whether that toggles it.
    pub(crate) fn layers(&self) -> &[(String, String, bool)] {
        match &self.snapshot.detail {
            Detail::Slot(slot) if Some(slot.number) == self.bound_slot() => &slot.layers,
            _ => &[],
        }
    }

    /// The shown layer; empty for the base.
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

    /// The options of the chosen target's source, if it has any.
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
            Binding::NewLayer => self.ask_line(TypedFor::Layer(slot)),
            Binding::DropLayer => {
                let name = self.layer();
                if name.is_empty() {
                    self.message = Some("the base layer cannot be deleted".into());
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
                    None => self.message = Some("the base is always on; y chooses a layer".into()),
                }
            }
            Binding::NextOption | Binding::BeforeOption => {
                let count = self.chosen_options().map_or(1, |own| Choice::of(&own, self.target()).len());
                let by = if wanted == Binding::NextOption { 1 } else { count - 1 };
                self.choice = (self.choice % count + by) % count;
            }
            Binding::More | Binding::Less => self.step_option(slot, wanted == Binding::More, 1),
            Binding::MuchMore | Binding::MuchLess => self.step_option(slot, wanted == Binding::MuchMore, 10),
            Binding::TypeOption => match self.chosen_option() {
                Some((choice, value)) => self.ask_line_with(TypedFor::Option(slot, choice.name()), &value),
                None => self.message = Some("nothing plays it here: bind it first (Enter)".into()),
            },
            _ => {}
        }
    }

    fn step_option(&mut self, slot: SlotNumber, up: bool, times: usize) {
        let (target, layer) = (self.target(), self.layer());
        let Some(row) = self.chosen_row() else { return };
        if target.pad().is_some_and(PadTarget::is_whole) {
            self.message = Some(format!("{} is bound as a whole and has no options", row.name).into());
            return;
        }
        let Some(own) = options_in(row, &layer) else {
            self.message = Some("nothing plays it here: bind it first (Enter)".into());
            return;
        };
        let all = Choice::of(&own, target);
        let choice = all[self.choice % all.len()];
        if choice == Choice::Combine {
            let all = [Combine::Largest, Combine::Sum, Combine::Last];
            let at = all.iter().position(|own| *own == row.combine).unwrap_or(0);
            let next = all[(at + if up { 1 } else { 2 }) % 3];
            return self.edit(slot, vec![Change::Combine(target, next)]);
        }
        let first = match self.said_first() {
            Ok(first) => first,
            Err(why) => {
                self.message = Some(why.into());
                return;
            }
        };
        // Steps build on what was asked for, since keys can come faster than files are saved.
        let pending = self.pending_option.as_ref().filter(|(of, there, _)| (*of, there) == (target, &layer));
        let own = pending.map_or(own, |(_, _, own)| *own);
        if choice == Choice::With {
            if up {
                return self.listen(slot, PressFor::With);
            }
            return self.edit(slot, after(first, Change::With { target, layer, named: None }));
        }
        let times = if choice.is_far() { times } else { 1 };
        let stepped = (1..times).fold(own, |own, _| match choice.step_wide(&own, target, up) {
            Some(which) => widely(own, which),
            None => choice.step(&own, up).map_or(own, |which| applied(own, which)),
        });
        if let Some(which) = choice.step_wide(&stepped, target, up) {
            self.pending_option = Some((target, layer, widely(own, which)));
            return self.edit(slot, vec![Change::Wide(which)]);
        }
        if let Some(which) = choice.step(&stepped, up) {
            self.pending_option = Some((target, layer.clone(), applied(own, which)));
            self.edit(slot, after(first, Change::Option { target, layer, which }));
        }
    }

    /// The chosen option with its value in words.
    fn chosen_option(&self) -> Option<(Choice, String)> {
        let (row, own, target) = (self.chosen_row()?, self.chosen_options()?, self.target());
        let all = Choice::of(&own, target);
        let choice = *all.get(self.choice % all.len().max(1))?;
        Some((choice, choice.value(&own, row.combine, target)))
    }

    /// Sets the chosen option to a typed value.
    pub(crate) fn type_option(&mut self, slot: SlotNumber, text: &str) -> Result<(), String> {
        let (target, layer) = (self.target(), self.layer());
        let Some((choice, _)) = self.chosen_option() else { return Ok(()) };
        let changes = match choice.typed(target, text)? {
            TypedOption::One(which) => {
                let first = self.said_first()?;
                after(first, Change::Option { target, layer, which })
            }
            TypedOption::Wide(which) => vec![Change::Wide(which)],
            TypedOption::Together(how) => vec![Change::Combine(target, how)],
        };
        self.edit(slot, changes);
        Ok(())
    }

    /// Only written bindings have options, so a default binding is first written out as it plays now. Nothing if it is
    /// written already.
    pub(crate) fn said_first(&self) -> Result<Vec<Change>, String> {
        let layer = self.layer();
        match self.chosen_row().and_then(|row| Some((row, options_in(row, &layer)?))) {
            Some((row, own)) => say_guess(row, &layer, &own),
            None => Ok(Vec::new()),
        }
    }

    /// The layer has a name; next, the control that holds it is pressed.
    pub(crate) fn name_layer(&mut self, slot: SlotNumber, name: &str) {
        self.listen(slot, PressFor::Layer(name.to_owned()));
    }
}

fn say_guess(row: &BindingRow, layer: &str, own: &OptionsView) -> Result<Vec<Change>, String> {
    let mut of_layer = row.said.iter().zip(&row.guessed).filter(|((_, of, _), _)| of == layer);
    let Some(((source, ..), true)) = of_layer.next() else { return Ok(Vec::new()) };
    if of_layer.next().is_some() {
        return Err(format!("several controls play {} by default: bind one of them first (Enter)", row.name));
    }
    let (target, layer) = (row.target, layer.to_owned());
    let option = |which| Change::Option { target, layer: layer.clone(), which };
    let source = Some(source.clone());
    let mut changes = vec![Change::Source { target, layer: layer.clone(), source, inverted: own.inverted }];
    changes.extend(own.reach.map(|reach| option(OptionChange::Reach(Some(reach)))));
    changes.extend((own.shortest > 0).then(|| option(OptionChange::Shortest(own.shortest))));
    Ok(changes)
}

fn after(mut first: Vec<Change>, last: Change) -> Vec<Change> {
    first.push(last);
    first
}
