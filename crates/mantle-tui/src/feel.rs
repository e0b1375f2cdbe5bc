//! Changes the feel: choose a setting, step it, switch between old and new, measure it.

use crate::app::App;
use crate::keys::FeelKey;
use crate::mode::TypedFor;
use crate::rows::Then;
use mantle_talk::{Change, Command, Detail, FeelView, Knob, Setting, Shaped, SlotNumber, Stage};

impl App {
    /// The slot whose feel is shown.
    pub(crate) fn felt_slot(&self) -> Option<SlotNumber> {
        self.slot_at(Stage::Feel)
    }

    /// The feel of the shown slot.
    pub(crate) fn felt(&self) -> Option<&FeelView> {
        match &self.snapshot.detail {
            Detail::Slot(slot) if Some(slot.number) == self.felt_slot() => Some(&slot.feel),
            _ => None,
        }
    }

    /// What has a feel on the shown pad: sticks and their axes, triggers, other axes.
    pub(crate) fn all_shaped(&self) -> Vec<Shaped> {
        self.slot_row().map_or_else(|| Shaped::ALL.to_vec(), |row| Shaped::of(&row.kind.model()))
    }

    /// The chosen stick or trigger.
    pub(crate) fn shaped(&self) -> Shaped {
        let all = self.all_shaped();
        all.get(self.shaped % all.len().max(1)).copied().unwrap_or(Shaped::LeftStick)
    }

    /// Chooses what is stepped from now on, here and from the device.
    pub(crate) fn choose_knob(&mut self, slot: SlotNumber, shaped: usize, knob: Knob) {
        (self.shaped, self.knob) = (shaped, knob);
        self.command(Command::ChooseFeel { slot, which: self.shaped(), knob }, Then::Nothing);
    }

    /// Moves to the next or previous stick, axis or trigger.
    fn step_shaped(&mut self, slot: SlotNumber, forward: bool, knob: Knob) {
        let count = self.all_shaped().len();
        if count > 0 {
            let by = if forward { 1 } else { count - 1 };
            self.choose_knob(slot, (self.shaped % count + by) % count, knob);
        }
    }

    /// Sets the chosen setting to a typed value.
    pub(crate) fn type_knob(&mut self, text: &str) -> Result<(), String> {
        let which = self.shaped();
        let (Some(slot), Some(felt)) = (self.felt_slot(), self.felt()) else { return Ok(()) };
        let shape = *felt.feel.of(which);
        let knob = self.knob.among(&Knob::of(which, &shape));
        let setting = knob.typed(&shape, text)?;
        self.edit(slot, vec![Change::Feel(which, setting)]);
        Ok(())
    }

    pub(crate) fn handle_feel(&mut self, wanted: FeelKey) {
        let which = self.shaped();
        let (Some(slot), Some(felt)) = (self.felt_slot(), self.felt()) else {
            if self.felt_slot().is_none() {
                self.message = Some("feel is changed in the Feel view: F".into());
            }
            return;
        };
        if self.all_shaped().is_empty() {
            self.message = Some("there is no pad, so there is no feel to change".into());
            return;
        }
        // Steps build on what was asked for, since keys can come faster than files are saved.
        let pending = self.pending_feel.filter(|(own, of, _)| (*own, *of) == (slot, which)).map(|(.., shape)| shape);
        let shape = pending.unwrap_or(*felt.feel.of(which));
        let knobs = Knob::of(which, &shape);
        let knob = self.knob.among(&knobs);
        let at = knobs.iter().position(|own| *own == knob).unwrap_or(0);
        let walks = felt.walking.is_some();
        let proposal = felt.measuring.as_ref().and_then(|measure| measure.proposal);
        let measures = felt.measuring.is_some();
        if felt.flipped
            && matches!(
                wanted,
                FeelKey::More | FeelKey::Less | FeelKey::MuchMore | FeelKey::MuchLess | FeelKey::Type | FeelKey::Usual
            )
        {
            self.message = Some("the old feel is on: f switches back to the new one first".into());
            return;
        }
        let set = |setting: Setting| vec![Change::Feel(which, setting)];
        let step = match wanted {
            FeelKey::More => Some(knob.step(&shape, true)),
            FeelKey::Less => Some(knob.step(&shape, false)),
            FeelKey::MuchMore => Some(knob.leap(&shape, true)),
            FeelKey::MuchLess => Some(knob.leap(&shape, false)),
            // By default an axis has the feel of its stick.
            FeelKey::Usual if which.is_axis() => Some(Setting::Default),
            FeelKey::Usual => Some(knob.usual(which, &shape)),
            _ => None,
        };
        if step == Some(Setting::Default) {
            return self.edit(slot, set(Setting::Default));
        }
        if let Some(setting) = step {
            self.pending_feel = Some((slot, which, setting.apply(shape)));
            return self.edit(slot, set(setting));
        }
        match wanted {
            FeelKey::More | FeelKey::Less | FeelKey::MuchMore | FeelKey::MuchLess | FeelKey::Usual => {}
            FeelKey::Type => self.ask_line_with(TypedFor::Knob, &knob.value(&shape)),
            FeelKey::Next => self.choose_knob(slot, self.shaped, knobs[(at + 1) % knobs.len()]),
            FeelKey::Before => self.choose_knob(slot, self.shaped, knobs[(at + knobs.len() - 1) % knobs.len()]),
            FeelKey::NextShaped | FeelKey::BeforeShaped => {
                self.step_shaped(slot, wanted == FeelKey::NextShaped, knob);
            }
            FeelKey::Flip => self.command(Command::FlipFeel { slot }, Then::Nothing),
            FeelKey::Measure => {
                if !measures {
                    self.take_demo_in_hand();
                }
                let what = (!measures).then_some((slot, which));
                self.command(Command::MeasureFeel(what), Then::Nothing);
            }
            FeelKey::Walk => self.command(Command::WalkOutput { slot, which }, Then::Nothing),
            FeelKey::Take if walks => self.command(Command::EndWalk { slot, moved: true }, Then::Nothing),
            FeelKey::Take => {
                if let Some((dead_zone, outer)) = proposal {
                    let mut changes = set(Setting::DeadZone(dead_zone));
                    changes.extend(set(Setting::Outer(outer)));
                    self.edit(slot, changes);
                    self.put_down();
                    self.command(Command::MeasureFeel(None), Then::Nothing);
                }
            }
            FeelKey::Leave if walks => self.command(Command::EndWalk { slot, moved: false }, Then::Nothing),
            FeelKey::Leave if measures => {
                self.put_down();
                self.command(Command::MeasureFeel(None), Then::Nothing);
            }
            FeelKey::Leave => {}
        }
    }
}
