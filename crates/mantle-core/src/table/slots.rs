//! The slots in use, and the only way in which their pads get events.
//!
//! A session only says what its pad shall show. The pad is told the difference from what it shows, computed at
//! the moment of writing, so that nothing that happens in between can lose a part of it.

use super::{Slot, Table};
use crate::measure::Spread;
use crate::pad::{Events, PadState};
use crate::path::{PadCondition, Stage};
use crate::planted::planted;
use crate::session::Counter;
use crate::slot::{SLOTS, SlotNumber};
use crate::time::Micros;
use std::collections::VecDeque;

/// The slots, by number.
#[derive(Debug, Default)]
pub(super) struct Slots {
    places: [Option<Box<Slot>>; SLOTS],
    /// Slots that may have changed since they were last checked, as bits. Slots can be changed only through
    /// this type, so none is forgotten.
    touched: u8,
    /// Changes that deadlines made before the latest event: when, to which slot, and what its pad shall show then.
    earlier: VecDeque<(Micros, SlotNumber, PadState)>,
    /// The frame being written.
    frame: Events,
}

impl Slots {
    #[inline]
    pub fn get(&self, number: SlotNumber) -> Option<&Slot> {
        self.places[number.index()].as_deref()
    }

    #[inline]
    pub fn get_mut(&mut self, number: SlotNumber) -> Option<&mut Slot> {
        if !planted("a slot that is changed is not looked at") {
            self.touched |= 1 << number.index();
        }
        self.places[number.index()].as_deref_mut()
    }

    /// A pad has taken its events, which changes nothing in what it shall show.
    #[inline]
    pub fn passed(&mut self, number: SlotNumber) -> Option<&mut [Counter; Stage::COUNT]> {
        self.places[number.index()].as_deref_mut().map(|slot| &mut slot.session.passed)
    }

    /// Records delays from reports to a slot's pad, which changes nothing in what it shall show.
    #[inline]
    pub fn delay(&mut self, number: SlotNumber) -> Option<&mut Spread> {
        self.places[number.index()].as_deref_mut().map(|slot| &mut slot.delay)
    }

    /// Two different slots.
    pub fn pair_mut(&mut self, one: SlotNumber, other: SlotNumber) -> Option<[&mut Slot; 2]> {
        self.touched |= 1 << one.index() | 1 << other.index();
        match self.places.get_disjoint_mut([one.index(), other.index()]) {
            Ok([Some(one), Some(other)]) => Some([one, other]),
            _ => None,
        }
    }

    pub fn put(&mut self, number: SlotNumber, slot: Slot) {
        self.touched |= 1 << number.index();
        self.places[number.index()] = Some(Box::new(slot));
    }

    pub fn remove(&mut self, number: SlotNumber) {
        self.places[number.index()] = None;
    }

    /// The lowest free slot.
    pub fn free(&self) -> Option<SlotNumber> {
        SlotNumber::all().find(|slot| self.get(*slot).is_none())
    }

    pub fn iter(&self) -> impl Iterator<Item = (SlotNumber, &Slot)> {
        SlotNumber::all().zip(&self.places).filter_map(|(number, slot)| Some((number, slot.as_deref()?)))
    }

    pub fn iter_mut(&mut self) -> impl Iterator<Item = (SlotNumber, &mut Slot)> {
        self.touched = u8::MAX;
        SlotNumber::all().zip(&mut self.places).filter_map(|(number, slot)| Some((number, slot.as_deref_mut()?)))
    }

    /// Fixes what the pads shall show at this moment: it will be written as it is, whatever comes next. Movements of axes from before
    /// `overdue` are merged.
    #[cold]
    pub fn keep(&mut self, at: Micros, overdue: Micros) {
        while self.touched != 0 {
            let index = self.touched.trailing_zeros() as usize;
            self.touched &= self.touched - 1;
            let slot = self.places[index].as_deref().filter(|slot| slot.pad == PadCondition::Made);
            let (Some(slot), Some(number)) = (slot, SlotNumber::from_index(index)) else { continue };
            let next = *slot.session.state();
            let mut of_slot = self.earlier.iter_mut().rev().filter(|(_, own, _)| *own == number);
            let (last, before) = (of_slot.next(), of_slot.next().map_or(*slot.session.shown(), |(.., state)| *state));
            match last {
                Some((then, _, last)) if *then < overdue && at < overdue => {
                    let moves = planted("presses of deadlines are merged")
                        || !last.has_edges_to(&next) && !before.has_edges_to(last);
                    if moves {
                        (*then, *last) = (at, next);
                    } else if *last != next {
                        self.earlier.push_back((at, number, next));
                    }
                }
                last => {
                    if last.map_or(before, |(.., last)| *last) != next {
                        self.earlier.push_back((at, number, next));
                    }
                }
            }
        }
    }

    /// Whether a press or release has still to be written, so that nothing else may happen yet. Axes may wait for
    /// the next report.
    pub fn owe_edges(&self) -> bool {
        let owes =
            |slot: &Slot| slot.pad == PadCondition::Made && slot.session.shown().has_edges_to(slot.session.state());
        !self.earlier.is_empty() || self.iter().any(|(_, slot)| owes(slot))
    }

    /// Puts a deadline's change of a slot into the frame, if part of it has not been written.
    #[cold]
    fn hand_out_earlier(&mut self) -> Option<(SlotNumber, Option<Micros>)> {
        while let Some((at, number, state)) = self.earlier.pop_front() {
            let slot = self.places[number.index()].as_deref_mut().filter(|slot| slot.pad == PadCondition::Made);
            if let Some(slot) = slot
                && slot.session.hand_out(&state, &mut self.frame)
            {
                // More may have come since.
                self.touched |= 1 << number.index();
                return Some((number, Some(at)));
            }
        }
        None
    }

    /// Puts a slot's changes into the frame.
    #[inline(always)]
    fn hand_out(&mut self) -> Option<(SlotNumber, Option<Micros>)> {
        if !self.earlier.is_empty() {
            let earlier = self.hand_out_earlier();
            if earlier.is_some() {
                return earlier;
            }
        }
        while self.touched != 0 {
            let index = self.touched.trailing_zeros() as usize;
            self.touched &= self.touched - 1;
            let slot = self.places[index].as_deref_mut().filter(|slot| slot.pad == PadCondition::Made);
            if let Some(slot) = slot
                && slot.session.hand_out_all(&mut self.frame)
            {
                return Some((SlotNumber::from_index(index)?, None));
            }
        }
        None
    }
}

impl Table {
    /// A slot whose pad has events to take, and the events; with a moment if they are older than the latest
    /// event. All of them have to be taken before anything else is handled, since what a pad shall show next
    /// is relative to what it was told. Only movements of axes may wait for the next report.
    #[inline]
    pub fn poll_write(&mut self) -> Option<(SlotNumber, Option<Micros>, &Events)> {
        let (number, earlier) = self.slots.hand_out()?;
        Some((number, earlier, &self.slots.frame))
    }

    /// Whether [`Table::poll_write`] has anything but movements of axes.
    #[must_use]
    pub fn owes_edges(&self) -> bool {
        self.slots.owe_edges()
    }
}
