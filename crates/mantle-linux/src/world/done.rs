//! What workers have done, as the engine is told.

use super::{LinuxWorld, PAD};
use crate::clock::now;
use crate::opener::Wanted;
use crate::workers::Done;
use mantle_core::device::NodeId;
use mantle_core::path::{MadePad, Mark};
use mantle_core::priority::Priority;
use mantle_core::table::Note;
use mantle_engine::Happening;
use rustix::event::epoll::{self, EventData, EventFlags};

impl LinuxWorld {
    pub(super) fn handle_done(&mut self, done: Done) {
        let at = now();
        match done {
            Done::Scanned(found) => self.handle_scan(found),
            Done::Opened(id, wanted, result) => self.handle_opened(at, id, &wanted, result),
            Done::Pad(slot, Ok((pad, instead))) => {
                let data = EventData::new_u64(PAD | slot.index() as u64);
                let _ = epoll::add(&self.epoll, pad.as_fd(), data, EventFlags::IN);
                self.ready.push_back(Happening::Pad(at, slot, Ok(MadePad { node: pad.node().to_owned(), instead })));
                self.effects_due[slot.index()] = pad.due();
                self.pads[slot.index()] = Some(pad);
            }
            Done::Pad(slot, Err(fault)) => self.ready.push_back(Happening::Pad(at, slot, Err(fault))),
            Done::Keys(slot, Ok(keys)) => {
                self.ready.push_back(Happening::Keys(at, slot, Ok(keys.name.clone())));
                self.keys[slot.index()] = Some(keys);
            }
            Done::Keys(slot, Err(fault)) => self.ready.push_back(Happening::Keys(at, slot, Err(fault))),
            Done::Held(device, passes) => self.handle_held(at, device, passes),
            Done::Sent(id, wanted, request, purpose, result) => {
                if self.is_still(id, &wanted) {
                    self.ready.push_back(Happening::Sent(at, id, request, purpose, result));
                }
            }
            Done::Power(id, wanted, power) => {
                if self.is_still(id, &wanted) {
                    self.ready.push_back(Happening::Power(at, id, power));
                }
            }
            Done::Asked(id, wanted, result) => {
                if self.is_still(id, &wanted) {
                    self.ready.push_back(Happening::Asked(at, id, result));
                }
            }
            Done::Sheets(sheets, faults) => self.ready.push_back(Happening::Sheets(at, sheets, faults)),
            Done::Settings(read) => self.ready.push_back(Happening::Settings(at, Box::new(read))),
            Done::Rules(read) => self.ready.push_back(Happening::Rules(at, read)),
            Done::Running(round, running) => self.ready.push_back(Happening::Running(at, round, running)),
            Done::Rule(number, result) => self.ready.push_back(Happening::Rule(at, number, Box::new(result))),
            Done::OwnPads(pads, faults) => self.ready.push_back(Happening::OwnPads(at, pads, faults)),
            Done::Profiles(profiles, faults) => self.ready.push_back(Happening::Profiles(at, profiles, faults)),
            Done::Radio(news) => self.ready.push_back(Happening::Radio(at, news)),
            Done::Ready(facts) => self.ready.push_back(Happening::Ready(at, facts)),
            Done::Looked(look) => self.ready.push_back(Happening::Looked(at, look)),
            Done::Probed(found) => self.ready.push_back(Happening::Probed(at, found)),
            Done::Profile(number, result) => self.ready.push_back(Happening::Profile(at, number, result)),
            Done::Covered(device, result) => self.ready.push_back(Happening::Covered(at, device, result)),
            Done::CoverAgain(device) => self.ready.push_back(Happening::CoverAgain(at, device)),
            Done::Lost(name) => {
                let text =
                    format!("the {name} worker has crashed: the program ends and gives back everything it holds");
                self.ready.push_back(Happening::Note(Note { at, mark: Mark::Stop, text }));
                self.ready.push_back(Happening::End);
            }
            Done::Raised(result) => {
                self.handle_rank(at, result.map_or_else(Priority::Refused, |()| Priority::RealTime))
            }
            Done::Note(text) => self.ready.push_back(Happening::Note(Note { at, mark: Mark::Doubt, text })),
        }
    }

    /// Whether a number still belongs to this node: by now it may belong to another one.
    fn is_still(&self, id: NodeId, wanted: &Wanted) -> bool {
        let node = self.nodes.get(usize::from(id.0)).and_then(Option::as_ref);
        node.is_some_and(|node| node.found.wanted == *wanted)
    }
}
