//! Listening: what begins, what it replaces, and what comes back afterwards.

use super::alarms::Alarm;
use super::{Offer, Table};
use crate::binding::Target;
use crate::command::Asker;
use crate::control::{ControlKind, Observed, Place};
use crate::device::{DeviceId, NodeId};
use crate::feel::{Measure, Shaped};
use crate::listening::{Calling, Capturing, Listening, Looking, OnView, Overheard, View};
use crate::pad::{PadTarget, Seen, Trial};
use crate::planted::planted;
use crate::rollcall::Capture;
use crate::slot::SlotNumber;
use crate::time::Micros;
use mantle_hid::VALUES;

impl Table {
    /// What listens while reports come.
    #[must_use]
    pub fn listening(&self) -> &Listening {
        &self.listening
    }

    /// The press being listened for.
    #[must_use]
    pub fn capturing(&self) -> Option<&Capturing> {
        if let Listening::Press(capturing) = &self.listening { Some(capturing) } else { None }
    }

    /// The running roll call.
    #[must_use]
    pub fn calling(&self) -> Option<&Calling> {
        if let Listening::RollCall(calling) = &self.listening { Some(calling) } else { None }
    }

    /// The running measurement, and its slot.
    #[must_use]
    pub fn measuring(&self) -> Option<(SlotNumber, &Measure)> {
        if let Listening::Measure(slot, measure) = &self.listening { Some((*slot, measure)) } else { None }
    }

    /// What trying a slot's pad has shown so far, if a screen shows it.
    #[must_use]
    pub fn trying(&self, slot: SlotNumber) -> Option<&Trial> {
        match self.views.get(OnView::Pad(slot))? {
            View::Pad(_, trial) => Some(trial),
            View::Controls(_) => None,
        }
    }

    /// What was seen of a part's controls, if a screen shows them.
    #[must_use]
    pub fn observed(&self, device: DeviceId, part: u8) -> Option<&Observed> {
        match self.views.get(OnView::Controls(device, part))? {
            View::Controls(looking) => Some(&looking.observed),
            View::Pad(..) => None,
        }
    }

    /// Begins listening; whatever listened before is over.
    pub(super) fn begin_listening(&mut self, now: Micros, next: Listening) {
        self.save_call(now);
        let before = std::mem::replace(&mut self.listening, next);
        // Nobody waits for the unsaved changes of a roll call, so they are saved now.
        if let Listening::RollCall(calling) = before
            && !calling.pending.is_empty()
        {
            self.save_changes(now, calling.slot, calling.pending);
        }
    }

    /// Ends listening of this kind, and starts views anew: what was pressed meanwhile was not meant for them.
    pub(super) fn end_listening(&mut self, now: Micros, ends: impl Fn(&Listening) -> bool) {
        if ends(&self.listening) {
            self.begin_listening(now, Listening::Nothing);
            if !planted("what is on view is not seen anew") {
                let mut views = std::mem::take(&mut self.views);
                views.begin_anew(|what| self.view_of(now, what).ok());
                self.views = views;
            }
        }
    }

    /// Ends a press or roll call, which know members by their index.
    pub(super) fn end_conversations(&mut self, now: Micros) {
        self.end_listening(now, |own| matches!(own, Listening::Press(_) | Listening::RollCall(_)));
    }

    /// Where watching something begins, if it can be watched.
    fn view_of(&self, now: Micros, what: OnView) -> Result<View, String> {
        match what {
            OnView::Pad(slot) => match self.slot(slot) {
                Some(entry) => Ok(View::Pad(slot, Box::new(Trial::new(now, &entry.model)))),
                None => Err(format!("{slot} is empty")),
            },
            OnView::Controls(device, part) => {
                let (node, local) = self.part_place(device, part).ok_or("that device is no longer connected")?;
                let layout = self.source(node).and_then(|source| source.layout()?.parts.get(local));
                let observed = Observed::new(layout.ok_or("its reports cannot be read")?);
                Ok(View::Controls(Box::new(Looking { device, part, node, observed })))
            }
        }
    }

    /// A screen shows something in detail; `again` starts it anew.
    fn show(&mut self, now: Micros, asker: Asker, what: OnView, again: bool) -> Result<(), String> {
        if self.views.get(what).is_some() && !again {
            self.views.share(asker, what);
        } else {
            let view = self.view_of(now, what)?;
            self.views.show(asker, view);
        }
        Ok(())
    }

    /// A screen shows the controls of a part in detail, or no longer.
    pub(super) fn look_at(&mut self, now: Micros, asker: Asker, what: Option<(DeviceId, u8)>) -> Result<(), String> {
        if let Some((device, part)) = what {
            return self.show(now, asker, OnView::Controls(device, part), false);
        }
        if matches!(self.views.shown_by(asker), Some(OnView::Controls(..))) {
            self.views.leave(asker);
        }
        Ok(())
    }

    /// A screen tries a slot's pad, or none; `again` forgets what was seen so far.
    pub(super) fn try_pad(
        &mut self,
        now: Micros,
        asker: Asker,
        number: Option<SlotNumber>,
        again: bool,
    ) -> Result<(), String> {
        let Some(number) = number else {
            if matches!(self.views.shown_by(asker), Some(OnView::Pad(_))) {
                self.views.leave(asker);
            }
            return Ok(());
        };
        let Some(slot) = self.slots.get_mut(number) else { return Err(format!("{number} is empty")) };
        if again {
            slot.session.seen = Seen::default();
        }
        self.show(now, asker, OnView::Pad(number), again)
    }

    /// Listens for a press as a source for a target.
    pub(super) fn listen(&mut self, now: Micros, number: SlotNumber, target: Target) -> Result<(), String> {
        let Some(slot) = self.slot(number) else { return Err(format!("{number} is empty")) };
        if target.pad().is_some_and(PadTarget::is_whole) {
            let name = target.name_on(&slot.model);
            return Err(format!("{name} is bound as a whole and cannot be pressed: choose it from the list (t)"));
        }
        let captures = (0..slot.session.members.len()).filter_map(|index| {
            let (_, part) = self.part_of(number, index)?;
            let source = self.source(part.source)?;
            let layout = source.layout()?.parts.get(part.local)?;
            Some((index, Capture::new(now, layout, &source.frame, target)))
        });
        let captures: Vec<_> = captures.collect();
        if captures.is_empty() {
            return Err(format!("nothing of {number} is connected"));
        }
        let capturing = Capturing::new(now, number, target, captures);
        self.begin_listening(now, Listening::Press(Box::new(capturing)));
        Ok(())
    }

    /// Measures a stick or trigger, or stops.
    pub(super) fn measure(&mut self, now: Micros, what: Option<(SlotNumber, Shaped)>) -> Result<(), String> {
        let Some((number, which)) = what else {
            self.end_listening(now, |own| matches!(own, Listening::Measure(..)));
            return Ok(());
        };
        if self.slot(number).is_none_or(|slot| slot.session.members.is_empty()) {
            return Err(format!("nobody plays in {number}"));
        }
        self.begin_listening(now, Listening::Measure(number, Box::new(Measure::new(now, which))));
        Ok(())
    }

    /// Passes a report to whatever listens.
    #[cold]
    pub(super) fn hear(&mut self, now: Micros, node: NodeId) {
        let Some(Some(source)) = self.sources.get(usize::from(node.0)) else { return };
        let session = |slot| self.slots.get(slot).map(|slot| &slot.session);
        let heard = Overheard { node, routes: &source.routes, frame: &source.frame };
        self.views.handle_frame(now, &heard, !self.listening.takes_presses(), session);
        self.listening.handle_frame(now, &heard, session);
        self.save_call(now);
        self.set_alarm(Alarm::Listening);
        if matches!(self.listening, Listening::Press(_) | Listening::RollCall(_)) {
            self.forget_counts(node);
        }
        if self.types {
            self.hold_strokes(now);
        }
    }

    /// Counts are heard once, even if a node's other reports do not carry them.
    fn forget_counts(&mut self, node: NodeId) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        let Offer::Layout(layout) = &source.offer else { return };
        let counts = layout.parts.iter().flat_map(|part| &part.controls);
        for control in counts.filter(|control| control.kind == ControlKind::Relative) {
            if let Place::Value(value) = control.place {
                source.frame.values[usize::from(value) % VALUES] = 0;
            }
        }
    }

    /// Tells listeners the time.
    pub(super) fn run_listening(&mut self, due: Micros) {
        self.listening.handle_time(due);
        self.save_call(due);
    }
}
