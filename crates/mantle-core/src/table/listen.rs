//! Who listens: what begins, what it takes the place of, and what comes back when it is over.

use super::alarms::Alarm;
use super::{Offer, Table};
use crate::binding::Target;
use crate::control::{ControlKind, Observed, Place};
use crate::device::{DeviceId, NodeId};
use crate::feel::{Measure, Shaped};
use crate::listening::{Calling, Capturing, Listening, Looking, OnView, Overheard};
use crate::pad::{PadTarget, Seen, Trial};
use crate::planted::planted;
use crate::rollcall::Capture;
use crate::slot::SlotNumber;
use crate::time::Micros;
use mantle_hid::VALUES;

impl Table {
    /// What looks on while reports come.
    #[must_use]
    pub fn listening(&self) -> &Listening {
        &self.listening
    }

    /// A press that is listened for.
    #[must_use]
    pub fn capturing(&self) -> Option<&Capturing> {
        if let Listening::Press(capturing) = &self.listening { Some(capturing) } else { None }
    }

    /// The roll call that goes on.
    #[must_use]
    pub fn calling(&self) -> Option<&Calling> {
        if let Listening::RollCall(calling) = &self.listening { Some(calling) } else { None }
    }

    /// What is measured, and for which slot.
    #[must_use]
    pub fn measuring(&self) -> Option<(SlotNumber, &Measure)> {
        if let Listening::Measure(slot, measure) = &self.listening { Some((*slot, measure)) } else { None }
    }

    /// A pad that is tried, and what has been found so far.
    #[must_use]
    pub fn trying(&self) -> Option<(SlotNumber, &Trial)> {
        if let Listening::Trial(slot, trial) = &self.listening { Some((*slot, trial)) } else { None }
    }

    /// The controls that are looked at.
    #[must_use]
    pub fn looking(&self) -> Option<&Looking> {
        if let Listening::Controls(looking) = &self.listening { Some(looking) } else { None }
    }

    /// Something begins to look on; what did so before is over.
    pub(super) fn begin_listening(&mut self, now: Micros, next: Listening) {
        self.save_call(now);
        let before = std::mem::replace(&mut self.listening, next);
        // Nobody waits for what of a roll call is not saved yet: it is asked for now.
        if let Listening::RollCall(calling) = before
            && !calling.pending.is_empty()
        {
            self.save_changes(now, calling.slot, calling.pending);
        }
    }

    /// If what goes on is of this kind it is over, and what is on view is looked at again.
    pub(super) fn end_listening(&mut self, now: Micros, ends: impl Fn(&Listening) -> bool) {
        if ends(&self.listening) {
            let next = self.seen_on_view(now).ok().filter(|_| !planted("what is on view does not come back"));
            let next = next.unwrap_or_default();
            self.begin_listening(now, next);
        }
    }

    /// What a press or a roll call knows of members by their places comes to an end.
    pub(super) fn end_conversations(&mut self, now: Micros) {
        self.end_listening(now, |own| matches!(own, Listening::Press(_) | Listening::RollCall(_)));
    }

    /// What is on view, if it can be looked at.
    fn seen_on_view(&self, now: Micros) -> Result<Listening, String> {
        match self.on_view {
            OnView::Nothing => Ok(Listening::Nothing),
            OnView::Pad(slot) => match self.slot(slot) {
                Some(entry) => Ok(Listening::Trial(slot, Box::new(Trial::new(now, &entry.model)))),
                None => Err(format!("{slot} is empty")),
            },
            OnView::Controls(device, part) => {
                let (node, local) = self.part_place(device, part).ok_or("that device is no longer connected")?;
                let layout = self.source(node).and_then(|source| source.layout()?.parts.get(local));
                let observed = Observed::new(layout.ok_or("its reports cannot be read")?);
                Ok(Listening::Controls(Box::new(Looking { device, part, node, observed, session: None })))
            }
        }
    }

    /// A screen shows something else closely.
    fn show(&mut self, now: Micros, what: OnView, again: bool) -> Result<(), String> {
        if what == self.on_view && !again {
            return Ok(());
        }
        let before = std::mem::replace(&mut self.on_view, what);
        match self.seen_on_view(now) {
            Ok(next) if self.listening.gives_way() => self.begin_listening(now, next),
            Ok(_) => {}
            Err(why) => {
                self.on_view = before;
                return Err(why);
            }
        }
        Ok(())
    }

    /// Looks at the controls of a part from now on, or no longer.
    pub(super) fn look_at(&mut self, now: Micros, what: Option<(DeviceId, u8)>) -> Result<(), String> {
        match what {
            Some((device, part)) => self.show(now, OnView::Controls(device, part), false),
            None if matches!(self.on_view, OnView::Controls(..)) => self.show(now, OnView::Nothing, false),
            None => Ok(()),
        }
    }

    /// A slot's pad is tried from now on, or none is; `again` forgets what has been seen of it so far.
    pub(super) fn try_pad(&mut self, now: Micros, number: Option<SlotNumber>, again: bool) -> Result<(), String> {
        let Some(number) = number else {
            let on_view = matches!(self.on_view, OnView::Pad(_));
            return if on_view { self.show(now, OnView::Nothing, false) } else { Ok(()) };
        };
        let Some(slot) = self.slots.get_mut(number) else { return Err(format!("{number} is empty")) };
        if again {
            slot.session.seen = Seen::default();
        }
        self.show(now, OnView::Pad(number), again)
    }

    /// Listens for a press that shall play a target.
    pub(super) fn listen(&mut self, now: Micros, number: SlotNumber, target: Target) -> Result<(), String> {
        let Some(slot) = self.slot(number) else { return Err(format!("{number} is empty")) };
        if target.pad().is_some_and(PadTarget::is_whole) {
            let name = target.name_on(&slot.model);
            return Err(format!("{name} is played as a whole and cannot be pressed: type what plays it, or \"none\""));
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
        let capturing = Capturing::new(number, target, captures);
        self.begin_listening(now, Listening::Press(Box::new(capturing)));
        Ok(())
    }

    /// Measures a stick or trigger, or no longer.
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

    /// A report goes to whatever looks on.
    #[cold]
    pub(super) fn hear(&mut self, now: Micros, node: NodeId) {
        let Some(Some(source)) = self.sources.get(usize::from(node.0)) else { return };
        let session = self.listening.slot().and_then(|slot| self.slots.get(slot)).map(|slot| &slot.session);
        let heard = Overheard { node, routes: &source.routes, frame: &source.frame, session };
        self.listening.handle_frame(now, &heard);
        self.save_call(now);
        self.set_alarm(Alarm::Listening);
        if matches!(self.listening, Listening::Press(_) | Listening::RollCall(_)) {
            self.forget_counts(node);
        }
        if self.types {
            self.hold_strokes(now);
        }
    }

    /// Counts are heard once, also of a node with other reports that say nothing of them.
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

    /// What looks on is told the time.
    pub(super) fn run_listening(&mut self, due: Micros) {
        self.listening.handle_time(due);
        self.save_call(due);
    }
}
