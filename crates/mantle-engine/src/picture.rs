//! The rows of the board, made piece by piece, so that a report waits for one piece rather than the whole picture.

use crate::rates::Rates;
use crate::rows::{device_row, slot_row};
use mantle_core::device::DeviceId;
use mantle_core::path::{Looked, Sentence, SlotFacts, sentences_with};
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Device, Source, Table};
use mantle_core::time::Micros;
use mantle_talk::{DeviceRow, SlotRow};

/// Devices per piece.
const DEVICES: usize = 4;

/// A board being made.
#[derive(Debug)]
pub(crate) struct Picture {
    /// When it was begun.
    pub began: Micros,
    slots_left: Vec<SlotNumber>,
    /// The slot whose facts were made last, and its states.
    slot: Option<(SlotNumber, Option<Looked>)>,
    devices_left: Vec<DeviceId>,
    facts: Vec<SlotFacts>,
    /// The troubles of the slots.
    said: Vec<Sentence>,
    pub slots: Vec<SlotRow>,
    pub devices: Vec<DeviceRow>,
}

impl Picture {
    /// A picture of this moment.
    pub fn begin(now: Micros, table: &Table) -> Self {
        let mut slots_left: Vec<SlotNumber> = table.slots().map(|(number, _)| number).collect();
        slots_left.reverse();
        // Keyboards and mice come last: nobody is looking for them.
        let mut order: Vec<&Device> = table.devices().collect();
        order.sort_by_key(|device| device.sources.iter().filter_map(|node| table.source(*node)).all(Source::steers));
        let devices_left = order.into_iter().rev().map(|device| device.id).collect();
        let (slot, facts, said, slots, devices) = Default::default();
        Self { began: now, slots_left, slot, devices_left, facts, said, slots, devices }
    }

    /// Makes a piece, if one is missing. Returns whether it did.
    pub fn make_piece(&mut self, rates: &Rates, table: &Table) -> bool {
        match self.slot.take() {
            Some((number, Some(looked))) => {
                self.slots.extend(table.slot(number).map(|slot| slot_row(rates, table, number, slot, looked)));
                return true;
            }
            Some((number, None)) => {
                self.slot = self.facts.last().map(|facts| (number, Some(Looked::at(facts))));
                let looked = self.slot.iter().filter_map(|(_, looked)| looked.as_ref());
                self.said.extend(looked.flat_map(|looked| looked.sentences.iter().cloned()));
                return true;
            }
            None => {}
        }
        if let Some(number) = self.slots_left.pop() {
            let facts = table.slot_facts(number);
            self.slot = facts.is_some().then_some((number, None));
            self.facts.extend(facts);
            return true;
        }
        let piece = self.devices_left.len().saturating_sub(DEVICES)..;
        let ids: Vec<DeviceId> = self.devices_left.drain(piece).rev().collect();
        for device in ids.iter().filter_map(|id| table.device(*id)) {
            self.devices.extend(device.parts.iter().map(|part| device_row(rates, table, device, part)));
        }
        !ids.is_empty()
    }

    /// The sentences, most urgent first.
    pub fn take_sentences(&mut self, table: &Table) -> Vec<Sentence> {
        sentences_with(&self.facts, std::mem::take(&mut self.said).into_iter(), &table.table_facts())
    }
}
