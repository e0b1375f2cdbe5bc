//! Finding fields, on its own thread, since it may take a while.

use crossbeam_channel::{Receiver, Sender, unbounded};
use mantle_core::device::{Identity, NodeId};
use mantle_core::finding::{self, Ask, ButtonShape, Confidence, FieldSearch, Still, Wanted, place_words, prompt};
use mantle_core::sheet::Sheet;
use mantle_core::table::Source;
use mantle_core::time::Micros;
use mantle_hid::Descriptor;
use mantle_talk::{FindOrder, FindingView, FoundRow};
use std::sync::{Arc, Mutex, PoisonError};

enum Said {
    Report(Micros, Vec<u8>),
    Time(Micros),
    Order(Micros, FindOrder),
}

/// What the thread has to show.
#[derive(Default)]
struct Shown {
    view: Option<FindingView>,
    /// A sheet that says more than the last one.
    sheet: Option<Sheet>,
    /// Whether it has been stopped.
    over: bool,
}

/// A running search for fields.
pub(crate) struct Finder {
    pub node: NodeId,
    said: Sender<Said>,
    shown: Arc<Mutex<Shown>>,
}

impl std::fmt::Debug for Finder {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Finder").field("node", &self.node).finish_non_exhaustive()
    }
}

/// A file name for a sheet of a device.
fn file_name(name: &str) -> String {
    format!("{}.sheet.toml", mantle_core::file_stem(name, "device"))
}

impl Finder {
    /// Begins with a source, continuing its sheet if it has one.
    pub fn begin(source: &Source, now: Micros) -> Option<Self> {
        let descriptor = Descriptor::parse(&source.facts.descriptor).ok()?;
        let shape = ButtonShape::of(&descriptor);
        let (identity, earlier) = (source.facts.identity.clone(), source.sheet.as_deref().cloned());
        let wanted = Wanted::common();
        let mut session = FieldSearch::new(Still::new(shape.clone()), wanted.clone(), now);
        if let Some(sheet) = &earlier {
            session.resume(finding::confirmed(sheet, &wanted, &shape));
        }
        let (said, incoming) = unbounded();
        let shown = Arc::new(Mutex::new(Shown::default()));
        let talker = Talker { node: source.facts.id, identity, earlier, session, shown: shown.clone() };
        std::thread::spawn(move || talker.run(&incoming));
        Some(Self { node: source.facts.id, said, shown })
    }

    pub fn handle_report(&self, at: Micros, bytes: &[u8]) {
        let _ = self.said.send(Said::Report(at, bytes.to_vec()));
    }

    pub fn handle_time(&self, now: Micros) {
        let _ = self.said.send(Said::Time(now));
    }

    pub fn handle_order(&self, now: Micros, order: FindOrder) {
        let _ = self.said.send(Said::Order(now, order));
    }

    pub fn view(&self) -> Option<FindingView> {
        self.shown.lock().unwrap_or_else(PoisonError::into_inner).view.clone()
    }

    /// A sheet that says more than the last one, to be saved.
    pub fn take_sheet(&self) -> Option<Sheet> {
        self.shown.lock().unwrap_or_else(PoisonError::into_inner).sheet.take()
    }

    /// Whether the person has stopped it and everything said before has been handled.
    pub fn is_over(&self) -> bool {
        self.shown.lock().unwrap_or_else(PoisonError::into_inner).over
    }
}

struct Talker {
    node: NodeId,
    identity: Identity,
    earlier: Option<Sheet>,
    session: FieldSearch,
    shown: Arc<Mutex<Shown>>,
}

impl Talker {
    fn run(mut self, incoming: &Receiver<Said>) {
        self.show(None);
        while let Ok(said) = incoming.recv() {
            let before = self.session.confirmed().len();
            match said {
                Said::Report(at, bytes) => {
                    // Updated when the screen looks, not for every report.
                    self.session.handle_report(at, &bytes);
                    continue;
                }
                Said::Time(now) => self.session.handle_time(now),
                Said::Order(_, FindOrder::Stop) => {
                    self.shown.lock().unwrap_or_else(PoisonError::into_inner).over = true;
                    return;
                }
                Said::Order(now, order) => self.obey(now, order),
            }
            let changed = self.session.confirmed().len() != before;
            self.show(changed.then(|| self.sheet()));
        }
    }

    fn obey(&mut self, now: Micros, order: FindOrder) {
        match order {
            FindOrder::Accept if self.session.proposal().is_some_and(|proposal| proposal.found.is_some()) => {
                self.session.accept(now);
            }
            FindOrder::Again | FindOrder::Accept if self.session.ask() == Ask::Decide => self.session.again(now),
            FindOrder::Skip => self.session.skip(now),
            FindOrder::Back => self.session.back(now),
            FindOrder::Now => self.session.handle_now(now),
            FindOrder::Begin(_) | FindOrder::Stop | FindOrder::Again | FindOrder::Accept => {}
        }
    }

    fn sheet(&self) -> Sheet {
        let mut sheet =
            finding::sheet(&self.identity, self.session.confirmed(), self.session.still(), self.earlier.as_ref());
        if self.earlier.is_none() {
            sheet.origin = file_name(&self.identity.name);
        }
        sheet
    }

    fn show(&self, sheet: Option<Sheet>) {
        let (session, shape) = (&self.session, self.session.still().shape());
        let ask = session.ask();
        let row = |wanted: &Wanted| {
            let own = session.confirmed().iter().find(|one| one.wanted.name == wanted.name);
            let found = own.and_then(|one| one.proposal.found.as_ref());
            FoundRow {
                name: wanted.name.clone(),
                place: found.map(|found| place_words(found, shape)),
                sure: own.is_some_and(|one| one.proposal.confidence == Confidence::High),
            }
        };
        let proposal = session.proposal().map(|proposal| {
            let place = proposal.found.as_ref().map(|found| place_words(found, shape));
            (place, proposal.confidence == Confidence::High, proposal.reason.clone())
        });
        let checksums: Vec<String> = session
            .still()
            .checksums()
            .iter()
            .map(|found| format!("byte {}: {}", found.at, found.checksum.name()))
            .collect();
        let besides =
            if checksums.is_empty() { String::new() } else { format!("a checksum at {}", checksums.join(", ")) };
        let (step, first) = (session.step(), session.takes().len() <= 1);
        let view = FindingView {
            node: self.node,
            name: self.identity.name.clone(),
            prompt: prompt(ask, session.wanted(), first),
            remark: session.remark().map(str::to_owned),
            taking: session.is_taking(),
            step: (step.number.min(step.of) as u16, step.of as u16),
            at: session.position() as u16,
            rows: session.all().iter().map(row).collect(),
            proposal,
            done: ask == Ask::Done,
            besides,
        };
        let mut shown = self.shown.lock().unwrap_or_else(PoisonError::into_inner);
        shown.view = Some(view);
        if sheet.is_some() {
            shown.sheet = sheet;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_becomes_a_file_name() {
        assert_eq!(file_name("Cellar pad"), "cellar-pad.sheet.toml");
        assert_eq!(file_name("../Ä pad (2)"), "pad-2.sheet.toml");
        assert_eq!(file_name("//"), "device.sheet.toml");
    }
}
