//! The snapshot: made beside the road at screen rate, and only while something moves.

use crate::detail;
use crate::finder::Finder;
use crate::health::{is_active, trouble};
use crate::history::{History, is_keyboard};
use crate::mailbox::Mailbox;
use crate::observer::Observer;
use crate::rates::Rate;
use crate::screens::{Comes, Present, Screens};
use crate::words::{capture_view, feel_words, games_words};
use mantle_core::binding::offered;
use mantle_core::command::{Answer, Asker, CommandNumber};
use mantle_core::control::{Control, PartLayout};
use mantle_core::cover::Cover;
use mantle_core::device::{Driver, NodeId};
use mantle_core::pad::PadKind;
use mantle_core::path::{Looked, Stage, sentences_with};
use mantle_core::sheet::Sheet;
use mantle_core::slot::{SLOTS, SlotNumber};
use mantle_core::table::{Device, Note, PartRef, Slot, Source, Table};
use mantle_core::time::Micros;
use mantle_talk::{
    Detail, DeviceRow, FindOrder, Header, HistoryAnswer, HistoryRequest, JournalRow, RecordingView, SlotRow, Snapshot,
    VERSION, Watch,
};
use std::collections::VecDeque;
use std::sync::Arc;

/// At most this often.
const GAP: Micros = Micros(33_333);
/// While only old rates fade.
const FADE_GAP: Micros = Micros::millis(125);
/// A cell stays lit this long after something passed; until then the board is drawn again.
const LIT: Micros = Micros::millis(400);
const JOURNAL: usize = 500;
const JOURNAL_SHORT: usize = 24;
const JOURNAL_LONG: usize = 120;

/// One screen: what it looks at, and what it has not been told yet.
#[derive(Debug)]
struct OneScreen {
    present: Present,
    watch: Watch,
    answers: Vec<(CommandNumber, Answer)>,
}

/// Makes snapshots and keeps the journal.
pub struct Publisher {
    screens: Screens,
    /// The version of those that [`Publisher::one_by_one`] are of.
    version: u64,
    one_by_one: Vec<OneScreen>,
    header: Header,
    journal: VecDeque<JournalRow>,
    rates: Vec<Rate>,
    slot_rates: [Rate; SLOTS],
    next: Micros,
    pending: bool,
    reports: u64,
    histories: Vec<Option<History>>,
    finder: Option<Finder>,
    recording: Option<RecordingView>,
}

impl std::fmt::Debug for Publisher {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Publisher").field("screens", &self.one_by_one).finish_non_exhaustive()
    }
}

impl Publisher {
    /// A publisher for one screen: the first asker.
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
            rates: Vec::new(),
            slot_rates: Default::default(),
            next: Micros(0),
            pending: true,
            reports: 0,
            histories: Vec::new(),
            finder: None,
            recording: None,
        };
        publisher.see_who_is_there();
        publisher
    }

    /// Whoever has come is told from now on, whoever has gone no longer.
    fn see_who_is_there(&mut self) {
        let version = self.screens.version();
        if std::mem::replace(&mut self.version, version) == version {
            return;
        }
        let mut before = std::mem::take(&mut self.one_by_one);
        for present in self.screens.present() {
            let same = before.iter().position(|one| one.present.since == present.since);
            let new = || OneScreen { present: present.clone(), watch: Watch::default(), answers: Vec::new() };
            self.one_by_one.push(same.map_or_else(new, |at| before.swap_remove(at)));
        }
        if self.one_by_one.is_empty() {
            // What came is kept for those who look at it.
            self.histories.clear();
        }
        (self.pending, self.next) = (!self.one_by_one.is_empty(), Micros(0));
    }

    fn screen(&mut self, asker: Asker) -> Option<&mut OneScreen> {
        self.see_who_is_there();
        self.one_by_one.iter_mut().find(|one| one.present.asker == asker)
    }

    /// What is being recorded, for the screen.
    pub fn set_recording(&mut self, recording: Option<RecordingView>) {
        self.pending |= recording != self.recording;
        self.recording = recording;
    }

    /// Makes a snapshot of this moment, as the first screen gets it: with what it has not been told yet.
    pub fn snapshot(&mut self, now: Micros, table: &Table) -> Snapshot {
        self.update_rates(now, table);
        self.update_histories(table);
        let watch = self.one_by_one.first().map(|one| one.watch).unwrap_or_default();
        let answers = self.one_by_one.first_mut().map(|one| std::mem::take(&mut one.answers));
        let board = self.board(now, table);
        Snapshot { answers: answers.unwrap_or_default(), ..self.snapshot_of(board, table, &watch) }
    }

    /// What all screens see, whatever they look at.
    fn board(&self, now: Micros, table: &Table) -> Snapshot {
        let facts: Vec<_> = SlotNumber::all().filter_map(|number| table.slot_facts(number)).collect();
        let looked: Vec<Looked> = facts.iter().map(Looked::at).collect();
        let sentences = {
            let of_slots = looked.iter().flat_map(|looked| looked.sentences.iter().cloned());
            sentences_with(&facts, of_slots, &table.table_facts())
        };
        let rows = table.slots().zip(looked);
        let slots = rows.map(|((number, slot), looked)| self.slot_row(table, number, slot, looked)).collect();
        // What steers the machine comes last: nobody is looking for it.
        let mut order: Vec<&Device> = table.devices().collect();
        order.sort_by_key(|device| device.sources.iter().filter_map(|node| table.source(*node)).all(Source::steers));
        let devices = order.into_iter().flat_map(|device| {
            device.parts.iter().map(|part| self.device_row(table, device, part)).collect::<Vec<_>>()
        });
        Snapshot {
            version: VERSION,
            now,
            header: self.header.clone(),
            slots,
            devices: devices.collect(),
            sentences,
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
            capture: table.capturing().map(capture_view),
            calibration: crate::calibration::view(table, now),
            roll_call: table.calling().map(|calling| crate::rollcall::view(table, calling)),
            finding: self.finder.as_ref().and_then(Finder::view),
            recording: self.recording.clone(),
            shelf: None,
        }
    }

    /// The same with what one view of it shows closely.
    fn snapshot_of(&mut self, board: Snapshot, table: &Table, watch: &Watch) -> Snapshot {
        let kept = if watch.journal { JOURNAL_LONG } else { JOURNAL_SHORT };
        Snapshot {
            detail: self.detail(board.now, table, watch),
            journal: self.journal.iter().skip(self.journal.len().saturating_sub(kept)).cloned().collect(),
            shelf: watch.shelf.map(|compared| Box::new(crate::shelf::view(table, compared))),
            ..board
        }
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
                let history = self.histories.get_mut(usize::from(device.node.0)).and_then(Option::as_mut);
                device.arriving = history.map(|history| history.detail(now));
                device.fields = detail::fields(table, device.node);
            }
        }
        detail
    }

    /// Every node that may be kept has a history, and no other.
    fn update_histories(&mut self, table: &Table) {
        for source in sources(table) {
            let index = usize::from(source.facts.id.0);
            if self.histories.len() <= index {
                self.histories.resize_with(index + 1, || None);
            }
            let place = &mut self.histories[index];
            let keyboards = self.one_by_one.iter().any(|one| one.watch.keyboards);
            if !place.as_ref().is_some_and(|history| history.is_of(source)) {
                *place = History::new(source, keyboards);
            } else if !keyboards && is_keyboard(source) {
                // Switched off, what was typed is forgotten at once.
                *place = None;
            }
        }
    }

    fn update_rates(&mut self, now: Micros, table: &Table) {
        for source in sources(table) {
            let index = usize::from(source.facts.id.0);
            if self.rates.len() <= index {
                self.rates.resize_with(index + 1, Rate::default);
            }
            self.rates[index].handle_count(now, source.reports.count);
        }
        for (number, slot) in table.slots() {
            let reports = slot.session.passed()[Stage::Reports as usize].count;
            self.slot_rates[number.index()].handle_count(now, reports);
        }
    }

    fn rate(&self, source: &Source) -> Rate {
        self.rates.get(usize::from(source.facts.id.0)).cloned().unwrap_or_default()
    }

    fn slot_row(&self, table: &Table, number: SlotNumber, slot: &Slot, looked: Looked) -> SlotRow {
        let session = &slot.session;
        let rate = &self.slot_rates[number.index()];
        let mut controls = (0u16, 0u64);
        let mut places = Vec::new();
        let mut covers = Vec::new();
        for index in 0..session.members.len() {
            let Some((device, part)) = table.part_of(number, index) else { continue };
            let Some(source) = table.source(part.source) else { continue };
            let (count, live) = live_controls(source, part);
            controls.1 |= live.checked_shl(u32::from(controls.0)).unwrap_or(0);
            controls.0 += count;
            places.push(source.facts.identity.place());
            covers.push(device.cover.words());
        }
        covers.dedup();
        let absent = places.is_empty();
        if absent {
            places.extend(
                session.members.iter().filter_map(|m| m.key.port.as_ref().map(|p| format!("{} {p}", m.key.bus.name()))),
            );
        }
        SlotRow {
            number,
            profile: slot.profile.clone(),
            names: session.members.iter().map(|member| member.key.name.clone()).collect(),
            members: table.members(number).collect(),
            place: places.join(", "),
            cover: if absent { "gone".into() } else { covers.join(", ") },
            stages: looked.states,
            passed: session.passed(),
            rate: rate.per_second(),
            bars: rate.bars(),
            controls,
            bound: session.members.iter().fold(0, |all, member| all | member.bound()).count_ones() as u16,
            strokes: session.members.iter().map(|member| member.bound_strokes()).sum::<usize>() as u16,
            feel: feel_words(session.feel()),
            pad: *session.state(),
            paused: session.paused() && !table.paused(),
            kind: slot.kind,
            games: games_words(table, number, slot),
            next: looked.next,
            sentence: looked.sentences.into_iter().next().unwrap_or_else(|| mantle_talk::Sentence::well(number)),
        }
    }

    fn device_row(&self, table: &Table, device: &Device, part: &PartRef) -> DeviceRow {
        let source = table.source(part.source);
        let layout = source.and_then(|s| s.layout()).and_then(|layout| layout.parts.get(part.local));
        let controllers = device.parts.len();
        let recorded = source.is_some_and(|source| source.facts.driver == Driver::Recording);
        let place_in = device.parts.iter().position(|p| p.number == part.number).unwrap_or(0) + 1;
        let (kinds, kind) = match layout {
            Some(layout) => offered(layout),
            None => (PadKind::offers(Default::default()).to_vec(), PadKind::default()),
        };
        DeviceRow {
            id: device.id,
            part: part.number,
            node: part.source,
            name: if controllers > 1 { format!("{} {place_in}", device.name) } else { device.name.clone() },
            place: source
                .map(|s| if recorded { "a recording".into() } else { s.facts.identity.place() })
                .unwrap_or_default(),
            what: layout.map_or_else(|| "unreadable".into(), |part| part.usage.name()),
            keyboard: layout.is_some_and(PartLayout::is_keyboard),
            slot: table.seat(device.id, part.number).map(|seat| seat.slot),
            waits: table.waits_for(device.id),
            rate: source.map_or(0, |source| self.rate(source).per_second()),
            controls: source.map_or((0, 0), |source| live_controls(source, part)),
            changed: source.map(|s| s.changed).unwrap_or_default(),
            trouble: source.and_then(trouble),
            cover: device.cover.words().into(),
            left: device.cover == Cover::LeftToGame,
            passes: table.passes(device),
            kinds,
            kind,
            recorded,
        }
    }
}

pub(crate) fn sources(table: &Table) -> impl Iterator<Item = &Source> {
    table.devices().flat_map(|device| device.sources.iter()).filter_map(|node| table.source(*node))
}

pub(crate) fn part_layout<'a>(source: &'a Source, part: &PartRef) -> Option<&'a PartLayout> {
    source.layout()?.parts.get(part.local)
}

/// How many controls a part has, and which of the first 64 are off their rest.
pub(crate) fn live_controls(source: &Source, part: &PartRef) -> (u16, u64) {
    let Some(layout) = part_layout(source, part) else { return (0, 0) };
    let mut live = 0;
    for (index, control) in layout.controls.iter().enumerate().take(64) {
        if active(source, control) {
            live |= 1 << index;
        }
    }
    (layout.controls.len() as u16, live)
}

/// Whether a control is off its rest, as far as that can be said without calibration.
pub(crate) fn active(source: &Source, control: &Control) -> bool {
    is_active(source, control, control.raw(&source.frame))
}

impl Observer for Publisher {
    fn handle_report(&mut self, at: Micros, node: NodeId, bytes: &[u8]) {
        if let Some(Some(history)) = self.histories.get_mut(usize::from(node.0)) {
            history.handle_report(at, bytes);
        }
        if let Some(finder) = self.finder.as_ref().filter(|finder| finder.node == node) {
            finder.handle_report(at, bytes);
        }
    }

    fn handle_find(&mut self, now: Micros, order: FindOrder) -> Result<(), String> {
        self.pending = true;
        self.next = Micros(0);
        // One that begins is made with the next look; one that is over has been told so.
        if let Some(finder) = &self.finder {
            finder.handle_order(now, order);
        }
        Ok(())
    }

    fn poll_sheet(&mut self) -> Option<Sheet> {
        self.finder.as_ref()?.take_sheet()
    }

    fn poll_found(&mut self) -> bool {
        self.finder.take_if(|finder| finder.is_over()).is_some()
    }

    fn handle_history(&mut self, asker: Asker, request: &HistoryRequest) {
        let history = self.histories.get(usize::from(request.node.0)).and_then(Option::as_ref);
        let nothing = HistoryAnswer { node: request.node, rows: Vec::new(), more: false };
        let answer = history.map_or(nothing, |history| history.answer(request));
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
        // What is well again takes the warning away.
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
        self.pending.then_some(self.next)
    }

    fn look(&mut self, now: Micros, table: &Table) {
        self.see_who_is_there();
        if now < self.next {
            self.pending = true;
            return;
        }
        // A conversation begins with the source that the table has opened for it, and ends with it.
        match (table.finding(), &self.finder) {
            (Some(source), None) => self.finder = Finder::begin(source, now),
            (Some(source), Some(finder)) if finder.node == source.facts.id => finder.handle_time(now),
            (_, Some(_)) => self.finder = None,
            (None, None) => {}
        }
        if self.one_by_one.is_empty() {
            self.pending = self.finder.is_some();
            self.next = now.after(GAP);
            return;
        }
        let snapshot = self.tell_all(now, table);
        let reports = sources(table).map(|source| source.reports.count).sum();
        let moving = reports != self.reports;
        self.reports = reports;
        let lit = snapshot.slots.iter().flat_map(|s| s.passed.iter()).any(|c| c.count > 0 && now.since(c.last) < LIT);
        let fading = self.rates.iter().chain(&self.slot_rates).any(|rate| !rate.silent());
        let finding = self.finder.is_some();
        self.pending = moving || lit || fading || finding;
        self.next = now.after(if moving || lit || finding { GAP } else { FADE_GAP });
    }
}

impl Publisher {
    /// One snapshot for all who look at the same; returns the first.
    fn tell_all(&mut self, now: Micros, table: &Table) -> Arc<Snapshot> {
        self.update_rates(now, table);
        self.update_histories(table);
        let mut views: Vec<Watch> = Vec::new();
        for one in &self.one_by_one {
            if !views.contains(&one.watch) {
                views.push(one.watch);
            }
        }
        let board = self.board(now, table);
        // The last one need not be copied: there is seldom more than one.
        let boards = std::iter::repeat_n(board, views.len());
        let made: Vec<Arc<Snapshot>> =
            views.iter().zip(boards).map(|(watch, board)| Arc::new(self.snapshot_of(board, table, watch))).collect();
        for one in &mut self.one_by_one {
            let own = views.iter().zip(&made).find(|(watch, _)| **watch == one.watch);
            if let Some((_, snapshot)) = own {
                one.present.mailbox.put(snapshot.clone(), std::mem::take(&mut one.answers));
            }
        }
        made[0].clone()
    }
}
