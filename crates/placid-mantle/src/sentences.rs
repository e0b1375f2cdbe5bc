//! The sentences of the table, worked out no more often than somebody needs them.

use mantle_core::path::Sentence;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Table;
use mantle_core::time::Micros;

/// So often they are worked out while only reports come.
const EVERY: Micros = Micros::seconds(1);

/// The first sentence, as it was said last.
#[derive(Debug, Default)]
pub struct LastSentence(Option<Sentence>);

impl LastSentence {
    /// The first of them, if it says something else than the last one.
    pub fn is_new<'a>(&mut self, sentences: &'a [Sentence]) -> Option<&'a Sentence> {
        // A silence that lasts on is no news.
        let first = sentences.first()?;
        if self.0.as_ref().is_some_and(|said| said.says_the_same(first)) {
            return None;
        }
        self.0 = Some(first.clone());
        Some(first)
    }
}

/// When they were worked out last.
#[derive(Debug, Default)]
pub struct SentenceWatch {
    settled: u64,
    looked: Micros,
}

impl SentenceWatch {
    /// All sentences, if the table has settled anew. What reports alone have changed of them is found within a second: for each
    /// report that would be far too much. `due` is when somebody wants them at the latest.
    pub fn look(&mut self, now: Micros, table: &Table, due: Option<Micros>) -> Option<Vec<Sentence>> {
        let settled = std::mem::replace(&mut self.settled, table.settled()) != table.settled();
        if !settled && now.since(self.looked) < EVERY && due.is_none_or(|due| now < due) {
            return None;
        }
        self.looked = now;
        let facts: Vec<_> = SlotNumber::all().filter_map(|slot| table.slot_facts(slot)).collect();
        Some(mantle_core::path::sentences(&facts, &table.table_facts()))
    }
}
