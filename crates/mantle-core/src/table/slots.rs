//! The slots in use, and the one door through which their pads are told what they shall show.
//!
//! A session only says what its pad shall show. What the pad is told is the difference from what it shows, made at the
//! moment at which it is handed out; so nothing that happens in between can lose a part of it.

use super::{Slot, Table};
use crate::measure::Spread;
use crate::pad::{Events, PadState};
use crate::path::{PadCondition, Stage};
use crate::planted::planted;
use crate::session::Counter;
use crate::slot::{SLOTS, SlotNumber};
use crate::time::Micros;
use std::collections::VecDeque;

/// The slots, by their numbers.
#[derive(Debug, Default)]
pub(super) struct Slots {
    places: [Option<Box<Slot>>; SLOTS],
    /// Slots that somebody could have changed since they were looked at last, as bits: a slot can be changed only through
    /// this type, so none is forgotten.
    touched: u8,
    /// What deadlines made of slots before whatever came last: when, whose, and what the pad shall show then.
    earlier: VecDeque<(Micros, SlotNumber, PadState)>,
    /// The frame that is handed out.
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

    /// The pad of a slot has taken its events: nothing of what it shall show changes by that.
    #[inline]
    pub fn passed(&mut self, number: SlotNumber) -> Option<&mut [Counter; Stage::COUNT]> {
        self.places[number.index()].as_deref_mut().map(|slot| &mut slot.session.passed)
    }

    /// What it takes from reports to a slot's pad: nothing of what that shall show changes by it.
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

    /// The lowest slot that is free.
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

    /// What the pads shall show now is of this moment: it will be handed out as it is, whatever comes next. Of what was before
    /// `overdue` movements of axes are merged.
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

    /// Whether some pad has still to be told of a press or a release, and so nothing else may happen yet. Axes may wait for
    /// what the next report says of them.
    pub fn owe_edges(&self) -> bool {
        let owes =
            |slot: &Slot| slot.pad == PadCondition::Made && slot.session.shown().has_edges_to(slot.session.state());
        !self.earlier.is_empty() || self.iter().any(|(_, slot)| owes(slot))
    }

    /// Puts what a deadline made of a slot into the frame, if any of that has still to be handed out.
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

    /// Puts what has changed of a slot into the frame.
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
    /// A slot whose pad has events to take, and the events; with a moment if they are of an earlier one than what was
    /// handled last. They are to be taken until there are none before anything else is handled: what a pad shall show next
    /// counts from what it has been told. Only movements of axes may be left for the next report to bring up to date.
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
