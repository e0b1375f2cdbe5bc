//! What fuzzers and the corpus test feed with bytes: each reader of foreign bytes, and what must hold whatever they are. A broken promise is a panic.

use mantle_core::command::RuleAct;
use mantle_core::control::Layout;
use mantle_core::device::DeviceId;
use mantle_core::games::{GameRule, GameSign, RunningProgram};
use mantle_core::sight::{GameList, Look, Maker, Owner, Program, SeenNode, Takes, Whose, read_tags};
use mantle_core::slot::SlotNumber;
use mantle_core::time::Micros;
use mantle_files::case::{self, Case};
use mantle_files::pack::{self, Pack};
use mantle_files::recording::{self, Content, Header, Writer};
use mantle_helper::judge::{self, Asked, Peer, Verdict};
use mantle_helper::ledger::Ledger;
use mantle_helper::wire::{ANSWER, Answer, REQUEST, Request};
use mantle_hid::{Descriptor, FieldKind, Frame, Items, Plan, Report, ReportKind, VALUES, Want, limits};

/// Takes any bytes.
pub type Target = fn(&[u8]);

/// All of them, by the names of their corpora.
pub const TARGETS: &[(&str, Target)] = &[
    ("descriptor", descriptor),
    ("decoder", decoder),
    ("recording", recording),
    ("sheet", sheet),
    ("pack", pack),
    ("sight", sight),
    ("helper", helper),
    ("games", games),
    ("case", case),
];

/// The descriptor parser: its items cover the bytes, and everything understood stays within the limits.
pub fn descriptor(data: &[u8]) {
    let mut end = 0;
    for item in Items::new(data).map_while(Result::ok) {
        // A long item has its length in its second byte.
        let long = data.get(item.offset + 1).map_or(0, |len| 3 + usize::from(*len));
        assert_eq!(item.offset, end, "items follow one another");
        end += if item.is_long() { long } else { 1 + usize::from(item.size) };
        assert!(end <= data.len(), "an item ends within the bytes");
    }
    let Ok(descriptor) = Descriptor::parse(data) else { return };
    for report in descriptor.reports() {
        assert!(report.bytes() <= limits::REPORT_BYTES as usize, "a report of {} bytes", report.bytes());
        assert!(report.fields.len() <= limits::REPORT_FIELDS, "{} fields", report.fields.len());
        for field in &report.fields {
            assert!(field.count <= limits::FIELD_ELEMENTS && field.bit_size <= limits::FIELD_BITS);
            assert!(field.bit_offset + field.count * field.bit_size <= report.bits, "a field ends within its report");
        }
    }
    let layout = Layout::new(&descriptor);
    assert_eq!(layout.plan.ids().count(), layout.reach.len());
}

/// The compiled decoder: it finds what each field finds when read by itself. The first byte is the descriptor's length in units of four bytes;
/// reports follow it, each preceded by its length.
pub fn decoder(data: &[u8]) {
    let Some((&units, data)) = data.split_first() else { return };
    let Some((bytes, mut data)) = data.split_at_checked(usize::from(units) * 4) else { return };
    let Ok(descriptor) = Descriptor::parse(bytes) else { return };
    let numbered = descriptor.numbered(ReportKind::Input);
    let mut wants = Vec::new();
    for report in descriptor.reports_of(ReportKind::Input) {
        for (field, element) in elements(report) {
            let (offset, width) = (report.fields[field].element_offset(element), report.fields[field].bit_size);
            if width <= 32 && wants.len() < VALUES {
                let (to, signed) = (wants.len() as u8, report.fields[field].signed());
                wants.push(Want::Value { report: report.id, offset, width: width as u8, signed, to });
            }
        }
    }
    let plan = Plan::compile(&descriptor, &wants);
    let layout = Layout::new(&descriptor);
    let mut frame = Frame::default();
    while let Some((&len, rest)) = data.split_first() {
        let (bytes, rest) = rest.split_at(usize::from(len).min(rest.len()));
        data = rest;
        let _ = layout.plan.decode(bytes, &mut Frame::default());
        let Ok((index, _)) = plan.decode(bytes, &mut frame) else { continue };
        let id = plan.ids().nth(usize::from(index.0)).expect("it has an id");
        let body = &bytes[usize::from(numbered)..];
        for want in &wants {
            let Want::Value { report, offset, width, signed, to } = *want else { continue };
            if report != id {
                continue;
            }
            let bit = |at: u32| body[at as usize / 8] >> (at % 8) & 1;
            let raw = (0..u32::from(width)).fold(0u64, |all, n| all | u64::from(bit(offset + n)) << n);
            let negative = signed && raw >> (width - 1) & 1 == 1;
            let value = if negative { raw as i64 - (1i64 << width) } else { raw as i64 };
            assert_eq!(frame.values[usize::from(to)], value as i32, "bits {offset} to {}", offset + u32::from(width));
        }
    }
}

/// The elements of a report's variable fields: at most as many as can be compared.
fn elements(report: &Report) -> impl Iterator<Item = (usize, u32)> + '_ {
    let variable = |field: &(usize, &mantle_hid::Field)| field.1.kind == FieldKind::Variable;
    let all = report.fields.iter().enumerate().filter(variable);
    all.flat_map(|(index, field)| (0..field.count).map(move |element| (index, element))).take(VALUES)
}

/// The readers of recordings: what they read is bounded by their input, and its reports, written and read again, are the same.
pub fn recording(data: &[u8]) {
    let Ok(read) = recording::read(data) else { return };
    assert!(read.devices.len() <= recording::DEVICES && read.problems.len() <= recording::PROBLEMS + 1);
    assert!(read.events.len() <= data.len(), "an event takes at least a byte");
    let reports: Vec<&Vec<u8>> = read
        .events
        .iter()
        .filter_map(|event| match &event.content {
            Content::Report(bytes) if event.device == 0 && !bytes.is_empty() => Some(bytes),
            _ => None,
        })
        .collect();
    let held: usize = reports.iter().map(|bytes| bytes.len()).sum();
    assert!(held <= data.len(), "{held} bytes of reports from {}", data.len());
    let Some(device) = read.devices.first().filter(|device| !device.descriptor.is_empty()) else { return };
    let (vendor, product) = (device.vendor, device.product);
    let header =
        Header { vendor, product, descriptor: device.descriptor.clone(), bus: device.bus, ..Header::default() };
    let mut writer = Writer::new(Vec::new(), &header, 1 << 30).expect("memory takes it");
    for (at, bytes) in reports.iter().enumerate() {
        writer.report(Micros(at as u64), bytes).expect("memory takes it");
    }
    let again = recording::read(&writer.finish().expect("memory takes it")).expect("what we write we read");
    assert_eq!(again.devices[0].descriptor, device.descriptor);
    let reports_again = again.events.iter().filter_map(|event| match &event.content {
        Content::Report(bytes) => Some(bytes),
        Content::Evdev(_) => None,
    });
    assert!(reports.into_iter().eq(reports_again), "written and read they are the same");
}

/// The sheet reader: every fault is within the text, and a sheet that it returns can be applied to any device.
pub fn sheet(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let read = mantle_files::sheet::read("sheet", &text);
    for fault in &read.faults {
        let shown = fault.to_string();
        assert!(shown.starts_with("sheet"), "it says where: {shown}");
    }
    let Some(sheet) = read.sheet else { return };
    for bytes in [VENDOR, PAD] {
        let descriptor = Descriptor::parse(bytes).expect("it is right");
        let layout = Layout::with_sheet(&descriptor, &sheet);
        for control in layout.parts.iter().flat_map(|part| &part.controls) {
            assert!(control.min < control.max, "{} has no range", control.name);
        }
        let mut frame = Frame::default();
        for len in [0, 1, 8, 16, 64, 255] {
            let mut report = vec![0xa5; len];
            if let Some(first) = report.first_mut() {
                *first = 1;
            }
            let _ = layout.plan.decode(&report, &mut frame);
            let _ = layout.checks.iter().all(|check| check.holds(&report));
        }
    }
}

/// The reader of packs: what it accepts is bounded, names stay within a directory, cards contain nothing that runs or fetches, and written and read
/// again it is the same.
pub fn pack(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let pack = match Pack::parse("pack", &text) {
        Ok(pack) => pack,
        Err(fault) => return assert!(fault.to_string().starts_with("pack"), "it says where: {fault}"),
    };
    assert!(!pack.files.is_empty() && pack.files.len() <= pack::FILES);
    for (at, file) in pack.files.iter().enumerate() {
        assert!(file.text.len() <= pack::FILE_BYTES && !file.name.contains(['/', '\\', '\0']), "{:?}", file.name);
        assert!(!file.name.starts_with('.'), "{:?}", file.name);
        assert!(pack.files[..at].iter().all(|other| other.name != file.name), "{} twice", file.name);
        let small = file.text.to_ascii_lowercase();
        assert!(file.kind != pack::Kind::Card || !small.contains("<script"), "a card with a script");
        let _ = (file.does(), file.faults());
    }
    assert_eq!(Pack::parse("pack", &pack.to_text()).as_ref(), Ok(&pack), "written and read it is the same");
}

/// The reader of cases: what it accepts is bounded, nothing in it comes after its end, its files are named as in packs, its reports can be read,
/// and written and read again it is the same.
pub fn case(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let case = match Case::parse("case", &text) {
        Ok(case) => case,
        Err(fault) => return assert!(fault.to_string().starts_with("case"), "it says where: {fault}"),
    };
    assert!(case.span <= case::LONGEST, "{} µs", case.span);
    assert!(case.event.is_sorted_by_key(|timed| timed.at), "in order");
    assert!(case.event.last().is_none_or(|timed| timed.at <= case.span), "an event after the end");
    for file in &case.file {
        assert!(pack::Kind::of(&file.name).is_some() && !file.name.contains(['/', '\\', '\0']), "{:?}", file.name);
    }
    for own in &case.reports {
        for line in own.lines() {
            let (at, _) = line.expect("it was accepted");
            assert!(at.0 <= case.span, "a report after the end");
        }
    }
    // As text, because a number that is none equals not even itself.
    let written = case.to_text();
    let again = Case::parse("case", &written).map(|again| again.to_text());
    assert_eq!(again, Ok(written), "written and read it is the same");
}

/// 15 bytes of vendor-defined data behind an id.
const VENDOR: &[u8] = &[
    0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x85, 0x01, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95,
    0x0f, 0x81, 0x02, 0xc0,
];

/// Eight buttons, not numbered.
const PAD: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x08, 0x81, 0x02, 0xc0,
];

/// What is said to the helper, which is root, and what it reads from a ledger and about a device: a message has one meaning or none, and what is read
/// from a ledger is what is written to it.
pub fn helper(data: &[u8]) {
    if let Some(bytes) = data.first_chunk::<REQUEST>()
        && let Ok(request) = Request::read(bytes)
    {
        assert_eq!(request.bytes(), *bytes, "{request:?} has two forms");
    }
    if let Some(bytes) = data.first_chunk::<ANSWER>()
        && let Ok(answer) = Answer::read(*bytes)
    {
        assert_eq!(answer.bytes(), *bytes, "{answer:?} has two forms");
    }
    if let Some(entries) = Ledger::entries(data, "boot") {
        entries.iter().for_each(|entry| drop(entry.identity()));
        let file = Ledger::file(&entries, "boot").expect("a path that was read is a text");
        assert_eq!(Ledger::entries(&file, "boot").as_ref(), Some(&entries));
        assert_eq!(Ledger::entries(&file, "another"), None);
    }
    let asked = Asked { applications: Asked::applications(data), ..Asked::default() };
    let keys = asked.applications.iter().any(|(page, _)| *page == 0xf1d0);
    assert!(!(keys && judge::open(&Peer::Root, &asked) == Verdict::Allowed), "a security key is handed out");
}

/// What udev's database and `/proc` say, and a machine of nodes described by the bytes: whatever they claim, a game's numbers go from 1 to how many
/// there are, and every input device is listed once.
pub fn sight(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let tags = read_tags(&text).unwrap_or_default();
    assert!(tags.iter().all(|tag| tag.starts_with("ID_INPUT")), "{tags:?}");
    let _ = mantle_linux::sight::read_start(&text);
    let all = [Takes::Nothing, Takes::Pad, Takes::Joystick, Takes::Mouse, Takes::Keys, Takes::Motion];
    let takes = |byte: u8| all[usize::from(byte) % all.len()];
    let (mut look, mut owners) = (Look { udev: data.len().is_multiple_of(2), ..Look::default() }, Vec::new());
    for bytes in data.chunks_exact(6).take(64) {
        let (input, device, kind) = (bytes[0] % 24, bytes[1] % 16, bytes[2] % 3);
        let (path, input) = match kind {
            0 => (format!("/dev/input/event{input}"), format!("/sys/{device}/input{input}")),
            1 => (format!("/dev/input/js{input}"), format!("/sys/{device}/input{input}")),
            _ => (format!("/dev/hidraw{input}"), String::new()),
        };
        look.nodes.push(SeenNode {
            place: format!("{input}/{}", path.rsplit('/').next().unwrap_or_default()),
            device: format!("/sys/{device}"),
            abilities: takes(bytes[3]),
            tags: (bytes[3] & 0x80 != 0).then(|| takes(bytes[4])),
            refused: (bytes[4] & 0x80 != 0).then_some(13),
            made_by: if bytes[5] & 1 != 0 { Maker::Program } else { Maker::System },
            path: path.clone(),
            input,
            ..SeenNode::default()
        });
        let slot = SlotNumber::new(bytes[5] >> 4);
        let whose = match slot {
            Some(slot) if bytes[5] & 2 != 0 => Whose::Pad(slot),
            slot => Whose::Device(DeviceId(u16::from(device)), "a device".into(), slot),
        };
        owners.push(Owner { node: path.clone(), whose, cover: Default::default() });
        look.programs.push(Program {
            pid: u32::from(bytes[0]),
            nodes: vec![path],
            makes: kind == 0,
            ..Program::default()
        });
    }
    let list = GameList::of(&look, &owners);
    let numbers: Vec<u16> = list.played().filter_map(|entry| entry.number).collect();
    assert_eq!(numbers, (1..=numbers.len() as u16).collect::<Vec<_>>());
    let inputs: std::collections::HashSet<&str> =
        look.nodes.iter().map(|node| node.input.as_str()).filter(|input| !input.is_empty()).collect();
    let with_events = list.list.iter().filter(|entry| entry.nodes.iter().any(|node| node.starts_with("/dev/input/")));
    assert_eq!(with_events.count(), inputs.len(), "an entry for each input device");
    for slot in SlotNumber::all() {
        let verdict = mantle_core::sight::Verdict::of(&list, slot);
        assert!(!verdict.sentence(slot).is_empty());
    }
    let view = list.view();
    assert!(view.rows.len() + usize::from(view.more) == list.list.len());
}

/// The rules for games: what is read is bounded and is for programs; a valid file is changed in one place and read again as it was written, an
/// invalid one is left alone. After a zero byte come names and arguments of programs, one per line, that the rules are tried on.
pub fn games(data: &[u8]) {
    let (file, names) = match data.iter().position(|byte| *byte == 0) {
        Some(at) => (&data[..at], &data[at + 1..]),
        None => (data, &[][..]),
    };
    let Ok(text) = std::str::from_utf8(file) else { return };
    let (rules, faults) = mantle_files::games::parse("games.toml", text);
    assert!(rules.len() <= 200 && faults.len() <= 21, "{} rules, {} faults", rules.len(), faults.len());
    let lines = || String::from_utf8_lossy(names).lines().map(str::to_owned).collect::<Vec<_>>();
    let program =
        RunningProgram { names: lines(), arguments: lines(), path: lines().concat(), ..RunningProgram::default() };
    for rule in &rules {
        assert!(!rule.signs.is_empty(), "a rule is for something");
        let _ = (rule.is_for(&program), rule.words());
    }
    let rule =
        GameRule { signs: vec![GameSign::Program("crane".into())], note: "a note".into(), ..GameRule::default() };
    let added = mantle_files::games::act("games.toml", text, RuleAct::Put(rule.clone()), |_| None);
    if !faults.is_empty() {
        return assert!(added.is_err() || text.trim().is_empty(), "a file with a fault is left alone");
    }
    let (after, _, old) = added.expect("a file that is right can be changed");
    let (again, faults) = mantle_files::games::parse("games.toml", &after);
    assert!(faults.is_empty(), "{faults:?} in {after}");
    let others = |rules: &[GameRule]| rules.iter().filter(|own| own.signs != rule.signs).cloned().collect::<Vec<_>>();
    assert_eq!(others(&again), others(&rules), "the others are as they were");
    assert_eq!(again.iter().find(|own| own.signs == rule.signs), Some(&rule));
    assert_eq!(old.is_some(), rules.iter().any(|own| own.signs == rule.signs));
}
