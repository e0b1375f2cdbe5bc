//! No answer is lost between two snapshots, however many there are and however long a screen takes nothing.

use mantle_core::table::{Settings, Table};
use mantle_core::time::Micros;
use mantle_engine::{Mailbox, Observer, Publisher};
use mantle_talk::{Answer, CommandNumber, Header};

#[test]
fn every_answer_is_seen_once_the_screen_looks() {
    let table = Table::new(Settings::default());
    let mailbox = Mailbox::new(|| {});
    let mut publisher = Publisher::new(mailbox.clone(), Header::default());
    let mut now = Micros::seconds(1);
    let mut seen = Vec::new();
    for round in 0..5u32 {
        for n in 0..30 {
            publisher.handle_answer(CommandNumber(round * 30 + n), Answer::PLAIN);
        }
        now = now.after(Micros::seconds(1));
        publisher.look(now, &table);
        // Only every second snapshot is taken: the ones between are overwritten.
        if round % 2 == 1 {
            let snapshot = mailbox.take().expect("there is one");
            seen.extend(snapshot.answers.iter().map(|(number, _)| number.0));
        }
    }
    now = now.after(Micros::seconds(1));
    publisher.look(now, &table);
    if let Some(snapshot) = mailbox.take() {
        seen.extend(snapshot.answers.iter().map(|(number, _)| number.0));
    }
    seen.dedup();
    assert_eq!(seen, (0..150).collect::<Vec<_>>());
}
