//! Runs an engine on its own thread and the screen on this one. If either fails, the other ends in order:
//! pads go, devices are given back, and the terminal is restored.

use crate::exit::{Exit, refuse};
use crate::journal::Journal;
use crate::news::{self, News};
use crate::paper::{self, Subject};
use crate::say::say_error;
use crate::screen_args::ScreenArgs;
use crate::screen_recorder::ScreenRecorder;
use crate::sentences::SentenceWatch;
use mantle_core::command::{Answer, Asker, CommandNumber};
use mantle_core::device::NodeId;
use mantle_core::path::PadFault;
use mantle_core::sheet::Sheet;
use mantle_core::slot::{Remembered, SlotNumber};
use mantle_core::table::{Note, Source, Table};
use mantle_core::time::Micros;
use mantle_engine::{Comes, FilesToRead, Happening, Mailbox, Observer, OrderSender, Publisher, Screens, World};
use mantle_link::{Held, ToScreen};
use mantle_linux::hooks;
use mantle_sim::Alongside;
use mantle_talk::{
    CasePiece, Detail, FindOrder, Header, HistoryAnswer, HistoryRequest, Order, Paper, SlotDetail, Snapshot, Watch,
    Wish,
};
use mantle_tui::{App, Look, Outcome, TourStep, Wake};
use std::cell::RefCell;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, Sender, channel};

/// What the screen opens with.
#[derive(Debug)]
pub enum Opening {
    /// Nothing besides the table.
    Plain,
    /// Words for a first-time user.
    Greeted,
    /// A tour of these steps.
    Tour(Vec<TourStep>),
}

/// Runs an engine and the screen until the person leaves. `make` makes the world, its table and the channel for orders. With `held`,
/// others can attach while this screen is open.
pub fn run<W: World + Send>(
    args: ScreenArgs,
    header: Header,
    held: Option<Held>,
    opening: Opening,
    make: impl FnOnce() -> Result<(W, Table, OrderSender), String>,
) -> Exit {
    let look = match mantle_tui::check_terminal(args.ascii) {
        Ok(look) => look,
        Err(unfit) => return refuse(unfit.to_string()),
    };
    let (wakes_in, wakes) = channel();
    let (world, mut table, give) = match make() {
        Ok(made) => made,
        Err(why) => return refuse(why),
    };
    let mut world = Alongside::new(world, give.clone(), Arc::new(crate::screen_recorder::open));
    let mailbox = mailbox(wakes_in.clone());
    let screens = Screens::default();
    let _own = screens.enter(Comes::AsScreen, mailbox.clone());
    // A demo is not news.
    let real = !header.demo;
    let mut clerk = ScreenObserver::new(screens.clone(), header);
    if real {
        clerk.news = Some(News::new(false, give.clone()));
        news::watch_sleep(screens.clone(), give.clone(), false);
    }
    // If others cannot attach, play goes on all the same.
    let served = held.and_then(|held| mantle_link::serve(held, screens, give.clone(), false).ok());
    let outcome = std::thread::scope(|scope| {
        let at_end = EndsScreen(wakes_in.clone());
        let engine = scope.spawn(move || {
            let _at_end = at_end;
            mantle_engine::run(&mut world, &mut table, &mut clerk);
        });
        let ends_engine = EndsEngine(give.clone());
        let outcome = look_on(args, look, opening, (wakes_in, wakes), &mailbox, |order| give.give(order));
        drop(ends_engine);
        let ended = engine.join();
        drop(served);
        match (outcome, ended) {
            (Ok(Outcome::Fallen), Ok(())) => {
                Err("a part of the program has crashed; everything it held was released".into())
            }
            (Ok(outcome), Ok(())) => Ok(outcome),
            (Err(error), _) => Err(format!("the terminal cannot be written to: {error}")),
            (_, Err(_)) => Err("the engine has crashed; everything it held was released".into()),
        }
    });
    match outcome {
        Ok(Outcome::Left | Outcome::Stopped | Outcome::Fallen) => Exit::Fine,
        Err(why) => {
            say_error!("placid-mantle: {why}");
            Exit::Failed
        }
    }
}

/// A mailbox that wakes the screen.
pub fn mailbox(wakes: Sender<Wake>) -> Mailbox {
    Mailbox::new(move || {
        let _ = wakes.send(Wake::Snapshot);
    })
}

/// Runs only the screen, over the snapshots in a mailbox.
pub fn look_on(
    args: ScreenArgs,
    look: Look,
    opening: Opening,
    (wakes_in, wakes): (Sender<Wake>, Receiver<Wake>),
    mailbox: &Mailbox,
    give: impl Fn(Order),
) -> std::io::Result<Outcome> {
    let said = wakes_in.clone();
    mantle_tui::watch_terminal(wakes_in);
    let seen: RefCell<Option<Arc<Snapshot>>> = RefCell::new(None);
    let case: RefCell<Option<CommandNumber>> = RefCell::new(None);
    let case_said = said.clone();
    let mut pieces: Vec<CasePiece> = Vec::new();
    let newest = || {
        pieces.extend(mailbox.take_case());
        if matches!(pieces.last(), Some(CasePiece::End)) {
            let whole = std::mem::take(&mut pieces);
            if let Some(number) = case.take() {
                write_case(number, whole, case_said.clone());
            }
        }
        let snapshot = mailbox.take().map(|snapshot| {
            let fails = hooks::fails_in("screen") && !snapshot.slots.is_empty();
            assert!(!fails, "the screen was asked to fail");
            if args.piped { piped(snapshot) } else { snapshot }
        });
        if let Some(snapshot) = &snapshot {
            seen.replace(Some(snapshot.clone()));
        }
        let histories = mailbox.take_histories();
        (snapshot, if args.piped { piped_histories(histories) } else { histories })
    };
    end_on_signals(said.clone());
    let app = App::new(look).with_files(crate::pickable::list).with_guide(crate::guide::text);
    let app = match opening {
        Opening::Plain => app,
        Opening::Greeted => app.with_greeting(crate::guide::greeting()),
        Opening::Tour(steps) => app.with_tour(steps),
    };
    mantle_tui::run(app, &wakes, said.clone(), newest, |order| match order.wish {
        Wish::Case(keyboards) => {
            // Of two that are asked for, only the later one is written.
            if let Some(before) = case.replace(Some(order.number)) {
                refuse_case(before, &said);
            }
            give(Order::unanswered(Wish::Case(keyboards)));
        }
        Wish::Paper(what) => put_on_paper(order.number, what, seen.borrow().as_deref(), said.clone()),
        _ => give(order),
    })
}

/// Ends the screen in order on the system's signals, so that the terminal is restored.
pub fn end_on_signals(wakes: Sender<Wake>) {
    // Without signal handling it ends as any program does.
    let Ok(mut signals) = signal_hook::iterator::Signals::new(mantle_linux::signals_that_end()) else { return };
    std::thread::spawn(move || {
        for _ in signals.forever() {
            if wakes.send(Wake::Stop).is_err() {
                return;
            }
        }
    });
}

/// A case that was asked for before another one was ready is not written.
fn refuse_case(number: CommandNumber, said: &Sender<Wake>) {
    let why = "another case was asked for".to_owned();
    // If the screen is gone, nobody waits for the answer.
    let _ = said.send(Wake::Answer(number, Answer::Refused { why }));
}

/// Writes a case, from its own thread, and reports the result.
fn write_case(number: CommandNumber, pieces: Vec<CasePiece>, said: Sender<Wake>) {
    std::thread::spawn(move || {
        let none = || "there is no home directory for it".to_owned();
        let done = paper::directory().ok_or_else(none).and_then(|to| crate::case_file::write_beside(pieces, &to));
        let answer = match done {
            Ok(path) => Answer::Done { said: format!("case file written: {}", path.display()), inverse: None },
            Err(why) => Answer::Refused { why },
        };
        // If the screen is gone, the file is there all the same.
        let _ = said.send(Wake::Answer(number, answer));
    });
}

/// Exports what is shown, from its own thread, and reports the result.
fn put_on_paper(number: CommandNumber, what: Paper, seen: Option<&Snapshot>, said: Sender<Wake>) {
    let (Some(snapshot), Some(detail)) = (seen, seen.and_then(slot_of)) else {
        let why = "there is nothing to export yet".into();
        // If the screen is gone, nobody waits for the answer.
        let _ = said.send(Wake::Answer(number, Answer::Refused { why }));
        return;
    };
    let profile = snapshot.slots.iter().find(|slot| slot.number == detail.number).map(|slot| slot.profile.clone());
    let subject = Subject { profile: profile.unwrap_or_default(), detail: detail.clone() };
    std::thread::spawn(move || {
        assert!(!hooks::fails_in("paper"), "the paper was asked to fail");
        let none = || "there is no home directory for papers".to_owned();
        let done = paper::directory().ok_or_else(none).and_then(|directory| subject.write(what, &directory));
        let answer = match done.as_deref() {
            Ok([first, ..]) => {
                Answer::Done { said: format!("exported as PDF and SVG: {}", first.display()), inverse: None }
            }
            Ok([]) => Answer::Refused { why: "there is nothing to export".to_owned() },
            Err(why) => Answer::Refused { why: why.clone() },
        };
        // If the screen is gone, the files are there all the same.
        let _ = said.send(Wake::Answer(number, answer));
    });
}

fn slot_of(snapshot: &Snapshot) -> Option<&SlotDetail> {
    match &snapshot.detail {
        Detail::Slot(detail) => Some(detail),
        _ => None,
    }
}

/// Ends the screen when the engine's thread ends, even by a panic.
struct EndsScreen(Sender<Wake>);

impl Drop for EndsScreen {
    fn drop(&mut self) {
        let _ = self.0.send(Wake::Stop);
    }
}

/// Ends the engine when the screen ends, even by a panic.
struct EndsEngine(OrderSender);

impl Drop for EndsEngine {
    fn drop(&mut self) {
        self.0.give(Order::unanswered(Wish::Stop));
    }
}

/// The publisher, and the fault that a test may have asked for.
pub struct ScreenObserver {
    publisher: Publisher,
    playback: ScreenRecorder,
    /// The journal, for engines without a screen.
    pub journal: Option<Journal>,
    /// News for people who are not looking.
    pub news: Option<News>,
    sentences: SentenceWatch,
    fails: bool,
}

impl ScreenObserver {
    /// An observer for all screens.
    pub fn new(screens: Screens, header: Header) -> Self {
        Self {
            publisher: Publisher::of(screens, header),
            playback: ScreenRecorder::default(),
            journal: None,
            news: None,
            sentences: SentenceWatch::default(),
            fails: hooks::fails_in("engine"),
        }
    }
}

impl Observer for ScreenObserver {
    fn handle_report(&mut self, at: Micros, node: NodeId, bytes: &[u8]) {
        self.publisher.handle_report(at, node, bytes);
        self.playback.offer(at, node, bytes);
    }

    fn handle_happening(&mut self, happening: &Happening<'_>, table: &Table) {
        self.publisher.handle_happening(happening, table);
    }

    fn handle_remembered(&mut self, at: Micros, remembered: &Remembered) {
        self.publisher.handle_remembered(at, remembered);
    }

    fn handle_pad_lost(&mut self, at: Micros, slot: SlotNumber, fault: &PadFault) {
        self.publisher.handle_pad_lost(at, slot, fault);
    }

    fn handle_case(
        &mut self,
        now: Micros,
        asker: Asker,
        keyboards: bool,
        table: &Table,
        files: FilesToRead,
    ) -> Result<(), String> {
        self.publisher.handle_case(now, asker, keyboards, table, files)
    }

    fn handle_history(&mut self, asker: Asker, request: &HistoryRequest) {
        self.publisher.handle_history(asker, request);
    }

    fn handle_note(&mut self, note: Note) {
        if let Some(journal) = &mut self.journal {
            journal.handle_note(note.clone());
        }
        self.publisher.handle_note(note);
    }

    fn handle_warning(&mut self, note: Note) {
        if let Some(journal) = &mut self.journal {
            journal.handle_warning(note.clone());
        }
        self.publisher.handle_warning(note);
    }

    fn handle_answer(&mut self, number: CommandNumber, answer: Answer) {
        self.publisher.handle_answer(number, answer);
    }

    fn handle_find(&mut self, now: Micros, order: FindOrder) -> Result<(), String> {
        self.publisher.handle_find(now, order)
    }

    fn handle_record(&mut self, _now: Micros, source: Option<&Source>, on: bool) -> Result<(), String> {
        let done = self.playback.handle(source, on);
        self.publisher.set_recording(self.playback.view());
        done
    }

    fn poll_sheet(&mut self) -> Option<Sheet> {
        self.publisher.poll_sheet()
    }

    fn poll_found(&mut self) -> bool {
        self.publisher.poll_found()
    }

    fn handle_watch(&mut self, asker: Asker, watch: Watch) {
        self.publisher.handle_watch(asker, watch);
    }

    fn is_watched(&self) -> bool {
        self.publisher.is_watched()
    }

    fn looks_at_readiness(&self) -> bool {
        self.publisher.looks_at_readiness()
    }

    fn looks_for_devices(&self) -> bool {
        self.publisher.looks_for_devices()
    }

    fn deadline(&self) -> Option<Micros> {
        let news = self.news.as_ref().and_then(News::due);
        self.publisher.deadline().into_iter().chain(news).min()
    }

    fn look(&mut self, now: Micros, table: &Table) {
        let due = self.news.as_ref().and_then(News::due);
        if (self.journal.is_some() || self.news.is_some())
            && let Some(sentences) = self.sentences.look(now, table, due)
        {
            self.journal.iter_mut().for_each(|journal| journal.say(now, &sentences));
            self.news.iter_mut().for_each(|news| news.look(now, table, &sentences));
        }
        self.publisher.set_recording(self.playback.view());
        self.publisher.look(now, table);
        assert!(!self.fails || table.slots().next().is_none(), "the engine was asked to fail");
    }

    fn work(&mut self, now: Micros, table: &Table) {
        self.publisher.work(now, table);
    }
}

/// Writes a snapshot out and reads it back, as for a screen in another process.
fn piped(snapshot: Arc<Snapshot>) -> Arc<Snapshot> {
    match mantle_link::through(&ToScreen::Snapshot(Box::new(Arc::unwrap_or_clone(snapshot)))) {
        Some(ToScreen::Snapshot(snapshot)) => Arc::new(*snapshot),
        _ => panic!("what the screen is told are plain values, and not too many"),
    }
}

fn piped_histories(answers: Vec<HistoryAnswer>) -> Vec<HistoryAnswer> {
    let pipe = |answer| match mantle_link::through(&ToScreen::History(Box::new(answer))) {
        Some(ToScreen::History(answer)) => *answer,
        _ => panic!("what the screen is told are plain values, and not too many"),
    };
    answers.into_iter().map(pipe).collect()
}
