//! The table's sentences, worked out no more often than needed.

use mantle_core::path::Sentence;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Table;
use mantle_core::time::Micros;

/// How often they are worked out while only reports come.
const EVERY: Micros = Micros::seconds(1);

/// The first sentence, as last reported.
#[derive(Debug, Default)]
pub struct LastSentence(Option<Sentence>);

impl LastSentence {
    /// The first sentence, if it differs from the last one reported.
    pub fn is_new<'a>(&mut self, sentences: &'a [Sentence]) -> Option<&'a Sentence> {
        // A silence that goes on is not news.
        let first = sentences.first()?;
        if self.0.as_ref().is_some_and(|said| said.says_the_same(first)) {
            return None;
        }
        self.0 = Some(first.clone());
        Some(first)
    }
}

/// When they were last worked out.
#[derive(Debug, Default)]
pub struct SentenceWatch {
    settled: u64,
    looked: Micros,
}

impl SentenceWatch {
    /// All sentences, if the table has settled since. Changes made by reports alone are found within a second, since working them out
    /// for every report would cost far too much. `due` is when somebody needs them at the latest.
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
