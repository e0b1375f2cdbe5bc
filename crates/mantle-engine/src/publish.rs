//! Snapshots: made beside the road at screen rate, only while something moves, and in pieces, so that no report waits.

use crate::case::{CaseBook, CaseParts};
use crate::detail;
use crate::finder::Finder;
use crate::histories::Histories;
use crate::mailbox::Mailbox;
use crate::observer::Observer;
use crate::parts::sources;
use crate::picture::Picture;
use crate::rates::Rates;
use crate::screens::{Comes, Present, Screens};
use crate::words::capture_view;
use crate::world::{FilesToRead, Happening};
use mantle_core::case::CaseEvent;
use mantle_core::command::{Answer, Asker, CommandNumber};
use mantle_core::device::NodeId;
use mantle_core::path::PadFault;
use mantle_core::sheet::Sheet;
use mantle_core::slot::{Remembered, SlotNumber};
use mantle_core::table::{Note, Table};
use mantle_core::time::Micros;
use mantle_talk::{
    Detail, FindOrder, Header, HistoryRequest, JournalRow, RecordingView, ReportsDetail, SlotRow, Snapshot, VERSION,
    Watch,
};
use std::collections::VecDeque;
use std::sync::Arc;

/// The shortest time between snapshots.
const GAP: Micros = Micros(33_333);
/// The time between snapshots while only old rates fade.
const FADE_GAP: Micros = Micros::millis(125);
/// How long a cell stays lit after something passed; until then the board is redrawn.
const LIT: Micros = Micros::millis(400);
/// If it is this late because reports leave no time, it is made between reports.
const STARVED: Micros = Micros::millis(100);
/// After this many restarts a snapshot is made in one go.
const PATIENCE: u8 = 3;
const JOURNAL: usize = 500;
const JOURNAL_SHORT: usize = 24;
const JOURNAL_LONG: usize = 120;

/// One screen: what it watches, and what it has not been told yet.
#[derive(Debug)]
struct OneScreen {
    present: Present,
    watch: Watch,
    answers: Vec<(CommandNumber, Answer)>,
    /// Answers that come with the snapshot being made.
    due: Vec<(CommandNumber, Answer)>,
}

/// Snapshots being made, of one moment.
#[derive(Debug)]
struct Making {
    began: Micros,
    /// The facts they show; newer facts restart them.
    facts_of: u64,
    picture: Option<Picture>,
    board: Option<Snapshot>,
    /// Views not made yet.
    views: Vec<Watch>,
    /// The detail of the current view.
    closely: Option<(Watch, Detail)>,
    made: Vec<(Watch, Arc<Snapshot>)>,
}

/// Makes snapshots and keeps the journal.
pub struct Publisher {
    screens: Screens,
    /// The version of the list of screens.
    version: u64,
    one_by_one: Vec<OneScreen>,
    header: Header,
    journal: VecDeque<JournalRow>,
    rates: Rates,
    next: Micros,
    pending: bool,
    making: Option<Making>,
    /// How often in a row it was restarted.
    begun_anew: u8,
    reports: u64,
    histories: Histories,
    finder: Option<Finder>,
    recording: Option<RecordingView>,
    book: CaseBook,
}

impl std::fmt::Debug for Publisher {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Publisher").field("screens", &self.one_by_one).finish_non_exhaustive()
    }
}

impl Publisher {
    /// A publisher for one screen, the first asker.
    #[must_use]
    pub fn new(mailbox: Mailbox, header: Header) -> Self {
        let screens = Screens::default();
        let _first = screens.enter(Comes::AsScreen, mailbox);
        Self::of(screens, header)
    }

    /// A publisher for all screens that come and go.
    #[must_use]
    pub fn of(screens: Screens, header: Header) -> Self {
        let mut publisher = Self {
            screens,
            version: 0,
            one_by_one: Vec::new(),
            header,
            journal: VecDeque::new(),
            rates: Rates::default(),
            next: Micros(0),
            pending: true,
            making: None,
            begun_anew: 0,
            reports: 0,
            histories: Histories::default(),
            finder: None,
            recording: None,
            book: CaseBook::default(),
        };
        publisher.see_who_is_there();
        publisher
    }

    /// Adds screens that have come, and drops those that are gone.
    fn see_who_is_there(&mut self) {
        let version = self.screens.version();
        if std::mem::replace(&mut self.version, version) == version {
            return;
        }
        let mut before = std::mem::take(&mut self.one_by_one);
        for present in self.screens.present() {
            let same = before.iter().position(|one| one.present.since == present.since);
            let new = || OneScreen {
                present: present.clone(),
                watch: Watch::default(),
                answers: Vec::new(),
                due: Vec::new(),
            };
            self.one_by_one.push(same.map_or_else(new, |at| before.swap_remove(at)));
        }
        if self.one_by_one.is_empty() {
            // Starts and stops histories for those who look at reports.
            self.histories.clear();
        }
        (self.pending, self.next) = (!self.one_by_one.is_empty(), Micros(0));
    }

    fn screen(&mut self, asker: Asker) -> Option<&mut OneScreen> {
        self.see_who_is_there();
        self.one_by_one.iter_mut().find(|one| one.present.asker == asker)
    }

    /// Sets what is being recorded, for the screen.
    pub fn set_recording(&mut self, recording: Option<RecordingView>) {
        self.pending |= recording != self.recording;
        self.recording = recording;
    }

    /// Makes a snapshot of this moment for the first screen, with its outstanding answers.
    pub fn snapshot(&mut self, now: Micros, table: &Table) -> Snapshot {
        self.rates.look(now, table);
        self.histories.update(now, table, self.one_by_one.iter().any(|one| one.watch.keyboards));
        let watch = self.one_by_one.first().map(|one| one.watch).unwrap_or_default();
        let answers = self.one_by_one.first_mut().map(|one| std::mem::take(&mut one.answers));
        let mut picture = Picture::begin(now, table);
        while picture.make_piece(&self.rates, table) {}
        let board = self.board(picture, table);
        let detail = self.detail(now, table, &watch);
        Snapshot { answers: answers.unwrap_or_default(), ..self.snapshot_of(board, detail, table, &watch) }
    }

    /// What all screens see, whatever they watch.
    fn board(&self, mut picture: Picture, table: &Table) -> Snapshot {
        let now = picture.began;
        Snapshot {
            version: VERSION,
            now,
            header: self.header.clone(),
            sentences: picture.take_sentences(table),
            slots: picture.slots,
            devices: picture.devices,
            profiles: table.profiles().iter().map(|profile| profile.name.clone()).collect(),
            profile_kinds: crate::shelf::kinds(table),
            detail: Detail::None,
            journal: Vec::new(),
            answers: Vec::new(),
            undo: table.turnable()[0].map(str::to_owned),
            redo: table.turnable()[1].map(str::to_owned),
            paused: table.paused(),
            types_here: table.types_here(),
            locked: table.is_locked(),
            sitting: {
                let (asks, always) = table.sitting(now);
                (asks.is_some(), always)
            },
            capture: table.capturing().filter(|press| press.hears(now)).map(capture_view),
            calibration: crate::calibration::view(table, now),
            roll_call: table.calling().map(|calling| crate::rollcall::view(table, calling, now)),
            finding: self.finder.as_ref().and_then(Finder::view),
            recording: self.recording.clone(),
            shelf: None,
            sight: None,
            readiness: None,
            connecting: None,
        }
    }

    /// The same with one view's detail.
    fn snapshot_of(&self, board: Snapshot, detail: Detail, table: &Table, watch: &Watch) -> Snapshot {
        let kept = if watch.journal { JOURNAL_LONG } else { JOURNAL_SHORT };
        Snapshot {
            detail,
            journal: self.journal.iter().skip(self.journal.len().saturating_sub(kept)).cloned().collect(),
            shelf: watch.shelf.map(|compared| Box::new(crate::shelf::view(table, compared))),
            sight: watch.sight.then(|| table.seen()).flatten().map(Box::new),
            readiness: watch.readiness.then(|| table.obstacles()).flatten().map(<[_]>::to_vec),
            connecting: watch.connecting.then(|| Box::new(table.connecting(board.now))),
            ..board
        }
    }

    /// Everything that explains this table from afar, but for the person's files.
    fn case(&mut self, now: Micros, keyboards: bool, table: &Table) -> CaseParts {
        self.rates.look(now, table);
        let mut picture = Picture::begin(now, table);
        while picture.make_piece(&self.rates, table) {}
        let board = self.board(picture, table);
        let journal = self.journal.iter().map(|row| (row.at, row.mark, row.text.clone())).collect();
        self.book.parts(now, table, board, journal, self.histories.for_case(keyboards), keyboards)
    }

    fn detail(&mut self, now: Micros, table: &Table, watch: &Watch) -> Detail {
        let mut detail = detail::of(now, table, watch);
        if watch.reports {
            let devices = match &mut detail {
                Detail::Slot(slot) => slot.devices.as_mut_slice(),
                Detail::Device(device) => std::slice::from_mut(&mut **device),
                Detail::None => &mut [],
            };
            for device in devices {
                let history = self.histories.of_mut(device.node);
                let source = table.source(device.node);
                device.arriving = history.zip(source).map(|(history, source)| ReportsDetail {
                    spread: source.watch.gaps.summary(),
                    steady: source.watch.rate(),
                    lost: source.watch.lost(),
                    causes: source.facts.connection.causes(source.facts.identity.bus),
                    ..history.detail(now)
                });
                device.fields = detail::fields(table, device.node);
            }
        }
        detail
    }
}

impl Observer for Publisher {
    fn handle_report(&mut self, at: Micros, node: NodeId, bytes: &[u8]) {
        if let Some(history) = self.histories.of_mut(node) {
            history.handle_report(at, bytes);
        }
        if let Some(finder) = self.finder.as_ref().filter(|finder| finder.node == node) {
            finder.handle_report(at, bytes);
        }
    }

    fn handle_happening(&mut self, happening: &Happening<'_>, table: &Table) {
        self.book.handle_happening(happening, table);
    }

    fn handle_remembered(&mut self, at: Micros, remembered: &Remembered) {
        self.book.seats.note(at, remembered.clone());
    }

    fn handle_pad_lost(&mut self, at: Micros, slot: SlotNumber, fault: &PadFault) {
        self.book.log.note(at, CaseEvent::PadLost { slot, fault: fault.clone() });
    }

    fn handle_case(
        &mut self,
        now: Micros,
        asker: Asker,
        keyboards: bool,
        table: &Table,
        files: FilesToRead,
    ) -> Result<(), String> {
        let parts = self.case(now, keyboards, table);
        let gone = || "whoever asked is gone".to_owned();
        let mailbox = self.screen(asker).ok_or_else(gone)?.present.mailbox.clone();
        // Files are read, and reports written out, where nobody waits for it.
        std::thread::spawn(move || mailbox.put_case(parts.pieces(files())));
        Ok(())
    }

    fn handle_find(&mut self, now: Micros, order: FindOrder) -> Result<(), String> {
        self.pending = true;
        self.next = Micros(0);
        // A new one is made with the next look; one that is over knows already.
        if let Some(finder) = &self.finder {
            finder.handle_order(now, order);
        }
        Ok(())
    }

    fn looks_at_readiness(&self) -> bool {
        self.one_by_one.iter().any(|one| one.watch.readiness)
    }

    fn looks_for_devices(&self) -> bool {
        self.one_by_one.iter().any(|one| one.watch.connecting)
    }

    fn is_watched(&self) -> bool {
        !self.one_by_one.is_empty()
    }

    fn poll_sheet(&mut self) -> Option<Sheet> {
        self.finder.as_ref()?.take_sheet()
    }

    fn poll_found(&mut self) -> bool {
        self.finder.take_if(|finder| finder.is_over()).is_some()
    }

    fn handle_history(&mut self, asker: Asker, request: &HistoryRequest) {
        let answer = self.histories.answer(request);
        if let Some(one) = self.screen(asker) {
            one.present.mailbox.put_history(answer);
        }
    }

    fn handle_note(&mut self, note: Note) {
        if self.journal.len() == JOURNAL {
            self.journal.pop_front();
        }
        self.journal.push_back(JournalRow { at: note.at, mark: note.mark, text: note.text });
        self.pending = true;
    }

    fn handle_warning(&mut self, note: Note) {
        // Good news clears the warning.
        self.header.warning = (note.mark != mantle_core::path::Mark::Well).then(|| note.text.clone());
        self.handle_note(note);
    }

    fn handle_answer(&mut self, number: CommandNumber, answer: Answer) {
        let own = self.screens.untag(number);
        if let Some(one) = self.screen(number.asker()) {
            one.answers.push((own, answer));
        }
        self.pending = true;
    }

    fn handle_watch(&mut self, asker: Asker, watch: Watch) {
        if let Some(one) = self.screen(asker) {
            one.watch = watch;
        }
        self.pending = true;
        self.next = Micros(0);
    }

    fn deadline(&self) -> Option<Micros> {
        if self.making.is_some() { Some(Micros(0)) } else { self.pending.then_some(self.next) }
    }

    fn look(&mut self, now: Micros, table: &Table) {
        self.see_who_is_there();
        self.pending |= !self.one_by_one.is_empty() || self.finder.is_some() || table.finding().is_some();
        // If reports never cease, there is no time to work; screens are told all the same.
        if now.since(self.next) > STARVED {
            self.make(now, table);
        }
    }

    fn work(&mut self, now: Micros, table: &Table) {
        self.see_who_is_there();
        if self.making.is_some() || (self.pending && now >= self.next) {
            self.make(now, table);
        }
    }
}

impl Publisher {
    /// Makes a piece of the next snapshots, and delivers them with the last one.
    fn make(&mut self, now: Micros, table: &Table) {
        let before = self.making.take();
        self.begun_anew = match &before {
            None => 0,
            Some(making) if making.facts_of == table.settled() => self.begun_anew,
            Some(_) => self.begun_anew + 1,
        };
        let kept = before.filter(|making| making.facts_of == table.settled());
        let Some(making) = kept.or_else(|| self.begin(now, table)) else { return };
        self.making = self.make_piece(making, table);
        // If facts never rest, no picture would ever be finished.
        while self.begun_anew >= PATIENCE
            && let Some(making) = self.making.take()
        {
            self.making = self.make_piece(making, table);
        }
    }

    /// Begins a picture, if anybody wants one.
    fn begin(&mut self, now: Micros, table: &Table) -> Option<Making> {
        // A search for fields begins with the source that the table opened for it, and ends with it.
        match (table.finding(), &self.finder) {
            (Some(source), None) => self.finder = Finder::begin(source, now),
            (Some(source), Some(finder)) if finder.node == source.facts.id => finder.handle_time(now),
            (_, Some(_)) => self.finder = None,
            (None, None) => {}
        }
        if self.one_by_one.is_empty() {
            self.pending = self.finder.is_some();
            self.next = now.after(GAP);
            return None;
        }
        self.rates.look(now, table);
        self.histories.update(now, table, self.one_by_one.iter().any(|one| one.watch.keyboards));
        // Whatever is asked for from now on belongs to the next one.
        (self.pending, self.next) = (false, now.after(GAP));
        for one in &mut self.one_by_one {
            one.due.append(&mut one.answers);
        }
        let picture = Picture::begin(now, table);
        let (board, views, closely, made) = Default::default();
        Some(Making { began: now, facts_of: table.settled(), picture: Some(picture), board, views, closely, made })
    }

    /// Makes the next piece; none is left once everybody is told.
    fn make_piece(&mut self, mut making: Making, table: &Table) -> Option<Making> {
        if let Some(picture) = &mut making.picture {
            if !picture.make_piece(&self.rates, table) {
                making.board = making.picture.take().map(|picture| self.board(picture, table));
                making.views = self.views();
            }
            return Some(making);
        }
        // The last one need not be copied; there is rarely more than one.
        if let Some((watch, detail)) = making.closely.take() {
            let last = making.views.is_empty();
            if let Some(board) = if last { making.board.take() } else { making.board.clone() } {
                making.made.push((watch, Arc::new(self.snapshot_of(board, detail, table, &watch))));
            }
            if !last {
                return Some(making);
            }
        }
        if let Some(watch) = making.views.pop() {
            making.closely = Some((watch, self.detail(making.began, table, &watch)));
            return Some(making);
        }
        self.tell(making, table);
        None
    }

    /// The watched views, each once.
    fn views(&self) -> Vec<Watch> {
        let mut views: Vec<Watch> = Vec::new();
        for one in &self.one_by_one {
            if !views.contains(&one.watch) {
                views.push(one.watch);
            }
        }
        views
    }

    /// Delivers the snapshots.
    fn tell(&mut self, making: Making, table: &Table) {
        for one in &mut self.one_by_one {
            match making.made.iter().find(|(watch, _)| *watch == one.watch) {
                Some((_, snapshot)) => one.present.mailbox.put(snapshot.clone(), std::mem::take(&mut one.due)),
                // Screens that have turned to something else get the next one.
                None => one.answers.splice(0..0, std::mem::take(&mut one.due)).for_each(drop),
            }
        }
        let reports = sources(table).map(|source| source.reports.count).sum();
        let moving = reports != self.reports;
        self.reports = reports;
        let is_lit = |slot: &SlotRow| slot.passed.iter().any(|c| c.count > 0 && making.began.since(c.last) < LIT);
        let lit = making.made.first().is_some_and(|(_, snapshot)| snapshot.slots.iter().any(is_lit));
        // A press is asked for as soon as one would be heard.
        let asking = self.finder.is_some()
            || table.capturing().is_some_and(|press| !press.hears(making.began))
            || table.calling().is_some_and(|calling| !calling.call.hears(making.began));
        self.pending |= moving || lit || asking || !self.rates.silent();
        // Somebody who has asked meanwhile does not wait.
        if self.next > Micros(0) {
            self.next = making.began.after(if moving || lit || asking { GAP } else { FADE_GAP });
        }
    }
}
