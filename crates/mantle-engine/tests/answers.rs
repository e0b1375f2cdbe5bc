//! No answer is lost between two snapshots, however many there are and however long a screen takes nothing.

use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::table::{Effect, Settings, Table};
use mantle_core::time::Micros;
use mantle_engine::{Happening, Mailbox, Observer, Publisher, World};
use mantle_talk::{Answer, Command, CommandNumber, FindOrder, HandMove, Header, HistoryRequest, NodeId};
use mantle_talk::{Order, Paper, PlaybackOrder, SlotNumber, Watch, Wish};

/// More than a snapshot has.
const PIECES: usize = 100;

#[test]
fn every_answer_reaches_the_screen() {
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
        (0..PIECES).for_each(|_| publisher.work(now, &table));
        // Only every second snapshot is taken: the ones in between are overwritten.
        if round % 2 == 1 {
            let snapshot = mailbox.take().expect("there is one");
            seen.extend(snapshot.answers.iter().map(|(number, _)| number.0));
        }
    }
    now = now.after(Micros::seconds(1));
    (0..PIECES).for_each(|_| publisher.work(now, &table));
    if let Some(snapshot) = mailbox.take() {
        seen.extend(snapshot.answers.iter().map(|(number, _)| number.0));
    }
    seen.dedup();
    assert_eq!(seen, (0..150).collect::<Vec<_>>());
}

/// A world in which somebody asks for things, one after the other.
struct Asking(Vec<Wish>, u32);

impl World for Asking {
    fn next(&mut self, _: Option<Micros>) -> Happening<'_> {
        if self.0.is_empty() {
            return Happening::End;
        }
        self.1 += 1;
        let order = Order { number: CommandNumber(self.1), wish: self.0.remove(0) };
        Happening::Order(Micros(u64::from(self.1)), Box::new(order))
    }

    fn write(&mut self, _: SlotNumber, _: &Events) -> Result<(), PadFault> {
        Ok(())
    }

    fn files(&self) -> mantle_engine::FilesToRead {
        Box::new(Vec::new)
    }

    fn clock(&self) -> Option<Micros> {
        None
    }

    fn start(&mut self, _: Effect) {}
}

/// Records the answers, and does nothing else.
#[derive(Default)]
struct Heard(Vec<(u32, Result<String, String>)>);

impl Observer for Heard {
    fn handle_answer(&mut self, number: CommandNumber, answer: Answer) {
        let said = match answer {
            Answer::Done { said, .. } => Ok(said),
            Answer::Refused { why } => Err(why),
        };
        self.0.push((number.0, said));
    }
}

/// Whatever is requested is answered under its number, once: done, or refused and why.
#[test]
fn every_order_is_answered() {
    let node = NodeId(3);
    let wishes = vec![
        Wish::Command(Command::LetGo),
        Wish::Command(Command::Undo { slot: None }),
        Wish::Command(Command::Undo { slot: None }),
        Wish::Watch(Watch::default()),
        Wish::History(HistoryRequest { node, until: Micros(1) }),
        Wish::Hand { node, part: 0, act: HandMove::Take(true) },
        Wish::Find(FindOrder::Begin(node)),
        Wish::Record(node, true),
        Wish::Playback(PlaybackOrder::Close(node)),
        Wish::Paper(Paper::Card),
    ];
    let mut heard = Heard::default();
    mantle_engine::run(&mut Asking(wishes, 0), &mut Table::new(Settings::default()), &mut heard);
    let numbers: Vec<u32> = heard.0.iter().map(|(number, _)| *number).collect();
    assert_eq!(numbers, (1..=10).collect::<Vec<_>>());
    let said = |at: usize| heard.0[at].1.as_deref().map_err(String::as_str);
    assert_eq!(said(0), Ok("everything is let go"));
    assert_eq!(said(1), Ok("undone: everything is let go"));
    assert_eq!(said(2), Err("nothing to undo"));
    assert_eq!((said(3), said(4)), (Ok(""), Ok("")));
    assert_eq!(said(5), Err("only simulated devices can be taken in hand"));
    assert_eq!((said(6), said(7)), (Err("fields cannot be found here"), Err("recording is not possible here")));
    assert_eq!(said(8), Err("only recordings can be opened, paused, stepped and closed here"));
    assert_eq!(said(9), Err("exports are made by the screen"));
}
