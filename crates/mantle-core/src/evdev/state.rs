//! The state of a node, kept as the report that its face lays out.

use super::capabilities::AbsPlace;
use super::{EvdevEvent, NodeCapabilities, event};

/// What came of an event.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Took {
    /// Nothing yet.
    Nothing,
    /// A report is complete.
    Report,
    /// Events were lost, and what is known is out of date: it is to be read again ([`InputState::set_key`],
    /// [`InputState::set_abs`], [`InputState::set_contact`]), and then the report is complete.
    Lost,
}

/// The state of a node.
#[derive(Clone, Debug)]
pub struct InputState {
    face: NodeCapabilities,
    report: Vec<u8>,
    hats: [(i32, i32); 4],
    slot: usize,
    lost: bool,
    /// Something has changed since the last sync event.
    touched: bool,
    /// The report has been handed over: counts begin anew.
    sent: bool,
}

/// A hat's value for its two directions, clockwise from up; 8 is the centre.
fn hat_value(x: i32, y: i32) -> u8 {
    match (x.signum(), y.signum()) {
        (0, -1) => 0,
        (1, -1) => 1,
        (1, 0) => 2,
        (1, 1) => 3,
        (0, 1) => 4,
        (-1, 1) => 5,
        (-1, 0) => 6,
        (-1, -1) => 7,
        _ => 8,
    }
}

impl InputState {
    /// A node on which nothing is down.
    #[must_use]
    pub fn new(face: NodeCapabilities) -> Self {
        let mut report = vec![0; face.length];
        for hat in &face.hats {
            report[usize::from(*hat)] = hat_value(0, 0);
        }
        Self { face, report, hats: [(0, 0); 4], slot: 0, lost: false, touched: false, sent: false }
    }

    /// How its report is laid out.
    #[must_use]
    pub fn face(&self) -> &NodeCapabilities {
        &self.face
    }

    /// The report.
    #[must_use]
    pub fn report(&self) -> &[u8] {
        &self.report
    }

    /// An event has come.
    pub fn handle(&mut self, event: EvdevEvent) -> Took {
        if std::mem::take(&mut self.sent) {
            for at in self.face.rels.into_iter().flatten() {
                put(&mut self.report, at, 0);
            }
        }
        match (event.kind, event.code) {
            (event::SYN, event::SYN_REPORT) => {
                if std::mem::take(&mut self.lost) {
                    self.touched = false;
                    return Took::Lost;
                }
                self.sent = true;
                if std::mem::take(&mut self.touched) {
                    return Took::Report;
                }
            }
            (event::SYN, event::SYN_DROPPED) => self.lost = true,
            // Up to the next sync event, what comes belongs to a frame of which a part is missing.
            _ if self.lost => {}
            // 2 is a key that repeats.
            (event::KEY, code) if event.value != 2 => self.touched |= self.set_key(code, event.value != 0),
            (event::REL, code) => {
                if let Some(at) = self.face.rels.get(usize::from(code)).copied().flatten() {
                    let before = get(&self.report, at);
                    put(&mut self.report, at, before.saturating_add(event.value));
                    self.touched = true;
                }
            }
            (event::ABS, code) => self.touched |= self.set_abs(code, event.value),
            _ => {}
        }
        Took::Nothing
    }

    /// After a loss: what had been read behind it, and what could still be read, in its order. All of it is older than the state
    /// that is read next, so that only counts, which no state tells of, are taken from it.
    pub fn salvage(&mut self, event: EvdevEvent) {
        if event.kind == event::REL {
            // Counts of the report that has been handed over are over.
            if std::mem::take(&mut self.sent) {
                for at in self.face.rels.into_iter().flatten() {
                    put(&mut self.report, at, 0);
                }
            }
            if let Some(at) = self.face.rels.get(usize::from(event.code)).copied().flatten() {
                let before = get(&self.report, at);
                put(&mut self.report, at, before.saturating_add(event.value));
            }
        }
    }

    /// Everything that was lost has been read again: the report is complete, and handed over.
    pub fn restored(&mut self) {
        (self.sent, self.touched, self.lost) = (true, false, false);
    }

    /// A key is down, or up; returns whether the report has it.
    pub fn set_key(&mut self, code: u16, down: bool) -> bool {
        let Some(bit) = self.face.keys.get(usize::from(code)).and_then(|bit| bit.checked_sub(1)) else { return false };
        let byte = &mut self.report[usize::from(bit / 8)];
        *byte = *byte & !(1 << (bit % 8)) | u8::from(down) << (bit % 8);
        true
    }

    /// An axis stands at a value; returns whether the report has it.
    pub fn set_abs(&mut self, code: u16, value: i32) -> bool {
        match self.face.abs.get(usize::from(code)).copied().unwrap_or_default() {
            AbsPlace::Nowhere => return false,
            AbsPlace::Number(at) => put(&mut self.report, at, value),
            AbsPlace::Hat(hat, upright) => {
                let directions = &mut self.hats[usize::from(hat) % 4];
                *(if upright { &mut directions.1 } else { &mut directions.0 }) = value;
                let (x, y) = *directions;
                self.report[usize::from(self.face.hats[usize::from(hat)])] = hat_value(x, y);
            }
            AbsPlace::Slot => self.slot = usize::try_from(value).unwrap_or(usize::MAX),
            AbsPlace::TrackingId => return self.of_contact(|contact| contact[0] = u8::from(value >= 0)),
            AbsPlace::ContactX => return self.of_contact(|contact| put(contact, 1, value)),
            AbsPlace::ContactY => return self.of_contact(|contact| put(contact, 5, value)),
        }
        true
    }

    /// Which contact the next events are about.
    pub fn set_contact(&mut self, slot: usize) {
        self.slot = slot;
    }

    fn of_contact(&mut self, change: impl FnOnce(&mut [u8])) -> bool {
        let Some(at) = self.face.contacts.get(self.slot).map(|at| usize::from(*at)) else { return false };
        change(&mut self.report[at..at + 9]);
        true
    }
}

fn get(report: &[u8], at: u16) -> i32 {
    let at = usize::from(at);
    report.get(at..at + 4).and_then(|bytes| bytes.try_into().ok()).map_or(0, i32::from_le_bytes)
}

fn put(report: &mut [u8], at: u16, value: i32) {
    let at = usize::from(at);
    if let Some(bytes) = report.get_mut(at..at + 4) {
        bytes.copy_from_slice(&value.to_le_bytes());
    }
}

#[cfg(test)]
mod tests {
    use super::super::{EvdevAxis, EvdevCaps};
    use super::*;
    use crate::control::{Control, ControlKind, Layout, Place};
    use mantle_hid::{Descriptor, Frame};
    use proptest::prelude::*;

    fn caps(codes: &[(u16, u16)], axes: &[(u16, i32, i32)]) -> EvdevCaps {
        let mut caps = EvdevCaps { codes: codes.to_vec(), ..EvdevCaps::default() };
        for (code, min, max) in axes {
            caps.codes.push((event::ABS, *code));
            caps.axes.push(EvdevAxis { code: *code, min: *min, max: *max, ..EvdevAxis::default() });
        }
        caps
    }

    fn read(state: &InputState) -> (Layout, Frame) {
        let layout = Layout::new(&Descriptor::parse(state.face().descriptor()).expect("our own is good"));
        let mut frame = layout.rest;
        layout.plan.decode(state.report(), &mut frame).expect("a whole report");
        (layout, frame)
    }

    fn value(state: &InputState, kind: ControlKind, name: &str) -> i32 {
        let (layout, frame) = read(state);
        let named = |control: &&Control| control.kind == kind && control.name == name;
        match layout.parts[0].controls.iter().find(named).map(|control| control.place) {
            Some(Place::Bit(bit)) => frame.bit(bit).into(),
            Some(Place::Value(at)) => frame.values[usize::from(at)],
            None => panic!("no {name} among {:?}", layout.parts[0].controls),
        }
    }

    fn ev(kind: u16, code: u16, value: i32) -> EvdevEvent {
        EvdevEvent { kind, code, value }
    }

    const SYNC: EvdevEvent = EvdevEvent { kind: 0, code: 0, value: 0 };

    #[test]
    fn mouse_counts_start_anew_with_each_frame() {
        let keys = [(1, 0x110), (1, 0x111), (2, 0), (2, 1), (2, 8), (2, 11)];
        let mut state = InputState::new(NodeCapabilities::new(&caps(&keys, &[]), 0).expect("a mouse"));
        assert_eq!(state.handle(ev(2, 0, 3)), Took::Nothing);
        state.handle(ev(2, 0, 4));
        state.handle(ev(1, 0x110, 1));
        assert_eq!(state.handle(SYNC), Took::Report);
        assert_eq!((value(&state, ControlKind::Relative, "X"), value(&state, ControlKind::Button, "button 1")), (7, 1));
        state.handle(ev(2, 1, -2));
        assert_eq!(state.handle(SYNC), Took::Report);
        assert_eq!((value(&state, ControlKind::Relative, "X"), value(&state, ControlKind::Relative, "Y")), (0, -2));
        assert_eq!(state.handle(SYNC), Took::Nothing, "a frame with nothing in it is no report");
        assert_eq!(state.handle(ev(2, 11, 120)), Took::Nothing);
        assert_eq!(state.handle(SYNC), Took::Nothing, "the fine wheel only repeats the wheel");
    }

    #[test]
    fn a_pad_keeps_full_axis_resolution_and_its_hat() {
        let axes = [(0, -32768, 32767), (1, -32768, 32767), (0x10, -1, 1), (0x11, -1, 1)];
        let mut state =
            InputState::new(NodeCapabilities::new(&caps(&[(1, 0x130), (1, 0x131)], &axes), 0).expect("a pad"));
        assert_eq!(value(&state, ControlKind::Hat, "hat"), 8);
        for (x, y, hat) in [(0, -1, 0), (1, -1, 1), (1, 0, 2), (-1, 1, 5), (0, 0, 8)] {
            state.handle(ev(3, 0x10, x));
            state.handle(ev(3, 0x11, y));
            state.handle(SYNC);
            assert_eq!(value(&state, ControlKind::Hat, "hat"), hat);
        }
        for raw in [-32768, -1, 0, 1, 2, 32767] {
            state.handle(ev(3, 0, raw));
            state.handle(SYNC);
            assert_eq!(value(&state, ControlKind::Axis, "X"), raw);
        }
    }

    #[test]
    fn dropped_events_trigger_a_resync_and_key_repeat_is_ignored() {
        let mut state =
            InputState::new(NodeCapabilities::new(&caps(&[(1, 0x130), (1, 0x131)], &[]), 0).expect("a pad"));
        state.handle(ev(1, 0x130, 1));
        state.handle(ev(0, 3, 0));
        state.handle(ev(1, 0x131, 1));
        assert_eq!(state.handle(SYNC), Took::Lost);
        assert_eq!(value(&state, ControlKind::Button, "button 2"), 0, "what came after the loss is not believed");
        state.set_key(0x130, false);
        assert_eq!(value(&state, ControlKind::Button, "button 1"), 0);
        state.handle(ev(1, 0x131, 2));
        assert_eq!(state.handle(SYNC), Took::Nothing);
    }

    #[test]
    fn counts_around_a_drop_are_delivered_exactly_once() {
        let keys = [(1, 0x110), (2, 0), (2, 1)];
        let mut state = InputState::new(NodeCapabilities::new(&caps(&keys, &[]), 0).expect("a mouse"));
        let x = |state: &InputState| value(state, ControlKind::Relative, "X");
        state.handle(ev(2, 0, 5));
        assert_eq!(state.handle(SYNC), Took::Report);
        // Nothing of what was handed over already comes again; what is read behind the loss is in its place.
        assert_eq!(state.handle(ev(0, 3, 0)), Took::Nothing);
        assert_eq!(state.handle(SYNC), Took::Lost);
        for event in [ev(2, 0, 3), ev(1, 0x110, 1), SYNC, ev(2, 0, 4), SYNC] {
            state.salvage(event);
        }
        assert_eq!(value(&state, ControlKind::Button, "button 1"), 0, "a key is read by the state, not by old events");
        state.set_key(0x110, true);
        state.restored();
        assert_eq!((x(&state), value(&state, ControlKind::Button, "button 1")), (7, 1));
        state.handle(ev(2, 0, 2));
        assert_eq!(state.handle(SYNC), Took::Report);
        assert_eq!(x(&state), 2, "the seven are over");
    }

    #[test]
    fn contacts_are_told_apart_and_surplus_ones_are_harmless() {
        let axes = [(0x2f, 0, 1), (0x35, 0, 1000), (0x36, 0, 600), (0x39, 0, 65535)];
        let mut state =
            InputState::new(NodeCapabilities::new(&caps(&[(1, 0x14a)], &axes), 0).expect("a touch surface"));
        for event in [ev(3, 0x2f, 1), ev(3, 0x39, 7), ev(3, 0x35, 200), ev(3, 0x36, 300), ev(1, 0x14a, 1)] {
            state.handle(event);
        }
        assert_eq!(state.handle(SYNC), Took::Report);
        let contact = |name: &str| value(&state, ControlKind::Contact, name);
        assert_eq!(
            (contact("contact 2"), contact("contact 2 X"), contact("contact 2 Y"), contact("contact 1")),
            (1, 200, 300, 0)
        );
        state.handle(ev(3, 0x2f, 9));
        state.handle(ev(3, 0x35, 1));
        state.handle(ev(3, 0x39, -1));
        assert_eq!(state.handle(SYNC), Took::Report);
        assert_eq!(value(&state, ControlKind::Contact, "contact 2 X"), 200);
    }

    #[test]
    fn nodes_without_game_controls_have_no_face() {
        assert_eq!(NodeCapabilities::new(&caps(&[(1, 116)], &[]), 0), None, "a power button");
        assert_eq!(NodeCapabilities::new(&caps(&[(5, 0)], &[]), 0), None, "a lid");
        assert_eq!(NodeCapabilities::new(&caps(&[], &[(53, 0, 0), (54, 0, 0)]), 0), None, "a surface without a size");
        let keys: Vec<(u16, u16)> = (1..=0x2ff).map(|code| (1, code)).collect();
        let all = NodeCapabilities::new(&caps(&keys, &[]), 0).expect("it has everything");
        let layout = Layout::new(&Descriptor::parse(all.descriptor()).expect("not too long"));
        assert!(layout.parts[0].controls.len() > 200);
    }

    proptest! {
        /// No capabilities and no events make it fail, and its descriptor is always read.
        #[test]
        fn any_events_are_accepted(
            codes in prop::collection::vec((0u16..6, 0u16..0x320), 0..400),
            axes in prop::collection::vec((0u16..70, any::<i32>(), any::<i32>()), 0..20),
            events in prop::collection::vec((0u16..6, 0u16..0x320, any::<i32>()), 0..60),
        ) {
            let Some(face) = NodeCapabilities::new(&caps(&codes, &axes), 0x1209) else { return Ok(()) };
            let descriptor = Descriptor::parse(face.descriptor());
            prop_assert!(descriptor.is_ok(), "{:?}", descriptor);
            let mut state = InputState::new(face);
            for (kind, code, value) in events {
                state.handle(ev(kind, code, value));
            }
            read(&state);
        }
    }
}
