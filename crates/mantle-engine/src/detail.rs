//! The detail of one slot or device for a snapshot.

use crate::health::{is_active, trouble};
use crate::parts::part_layout;
use crate::rates::tenths;
use mantle_core::binding::{Binding, Opposite, Profile, Target, options_of, usual_row};
use mantle_core::control::{Control, ControlKind, ControlNumber, Place};
use mantle_core::device::{Access, Key, NodeId};
use mantle_core::pad::{FIRST_LINE, LINES};
use mantle_core::path::{PadCondition, PadFault};
use mantle_core::session::{Assist, Member};
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Device, PartRef, Slot, Source, Table};
use mantle_core::time::Micros;
use mantle_hid::Want;
use mantle_talk::{
    BindingRow, ControlRow, Detail, DeviceDetail, Face, FeelView, FieldRow, HelpView, KeysView, MeasureView, NodeRow,
    OptionsView, SlotDetail, Watch, WideView,
};

/// The most controls shown of one part: as many as a report can have, so that only a device with several full reports
/// has more.
const CONTROLS: usize = mantle_hid::limits::REPORT_FIELDS;

pub(crate) fn of(now: Micros, table: &Table, watch: &Watch) -> Detail {
    if let Some(number) = watch.slot
        && let Some(slot) = table.slot(number)
    {
        return Detail::Slot(Box::new(slot_detail(now, table, number, slot)));
    }
    if let Some((id, part)) = watch.device
        && let Some(device) = table.device(id)
        && let Some(part) = device.parts.iter().find(|p| p.number == part)
    {
        let seat = table.seat(device.id, part.number);
        let member = seat.and_then(|seat| table.slot(seat.slot)?.session.members.get(seat.index));
        return Detail::Device(Box::new(device_detail(now, table, device, part, member)));
    }
    Detail::None
}

/// Whether any of a slot's devices has motors, and lamps, that can be reached.
fn shows(table: &Table, number: SlotNumber, members: usize) -> (bool, bool) {
    let parts = (0..members).filter_map(|index| table.part_of(number, index));
    let ways = parts.filter_map(|(_, part)| Some(table.source(part.source)?.ways()));
    ways.fold((false, false), |(motors, lamps), ways| (motors || ways.shake(), lamps || ways.shine()))
}

/// The detail of a slot.
pub fn slot_detail(now: Micros, table: &Table, number: SlotNumber, slot: &Slot) -> SlotDetail {
    let session = &slot.session;
    let devices = session.members.iter().enumerate().map(|(index, member)| match table.part_of(number, index) {
        Some((device, part)) => device_detail(now, table, device, part, Some(member)),
        None => absent(&member.key),
    });
    let devices: Vec<DeviceDetail> = devices.collect();
    let several = devices.len() > 1;
    let bare_name = |index: usize, control: ControlNumber| {
        let own = devices[index].controls.iter().find(|c| c.number == control.0);
        own.map_or("a control", |c| c.name.as_str())
    };
    let told = |index: usize, bare: &str| {
        if several { format!("{}: {bare}", devices[index].name) } else { bare.to_owned() }
    };
    let name_of = |index: usize, control: ControlNumber| told(index, bare_name(index, control));
    let profile = table.profile_of(&slot.profile);
    // A target that is about to be bound is listed already.
    let asked = table.capturing().filter(|one| one.slot == number).map(|one| one.target);
    let asked = asked.filter(|target| target.is_key() && !profile.rules.iter().any(|rule| rule.target == *target));
    let strokes = profile.strokes().into_iter().map(Target::Key).chain(asked);
    let bindings = slot.model.targets.iter().copied().map(Target::Pad).chain(strokes).map(|target| {
        let target = &target;
        let (mut sources, mut said, mut how, mut by) = (Vec::new(), Vec::new(), Vec::new(), None);
        let (mut options, mut guessed) = (Vec::new(), Vec::new());
        let combine = profile.combine_of(*target);
        let origin = table.origin(number, *target);
        for (index, member) in session.members.iter().enumerate() {
            let held: Vec<_> = held_axes(member).map(|control| control.number).collect();
            for binding in member.bindings.of(*target).filter(|binding| !held.contains(&binding.control)) {
                let rule = binding.rule.and_then(|rule| profile.rules.get(usize::from(rule)));
                let bare = format!("{} {}", bare_name(index, binding.control), binding.how.words());
                let bare = bare.trim_end().to_owned();
                let extra = rule.map_or(String::new(), |rule| {
                    rule.options.words().iter().map(|word| format!(", {word}")).collect()
                });
                let layer = profile.layer(usize::from(binding.layer));
                let layer = layer.map_or(String::new(), |layer| layer.name.clone());
                let during = if layer.is_empty() { String::new() } else { format!(" in {layer}") };
                if origin.is_some_and(|origin| origin.member == index && origin.binding == binding.number) {
                    by = Some(sources.len() as u8);
                }
                sources.push(format!("{}{extra}{during}", told(index, &bare)));
                options.push(options_view(member, binding, &profile));
                guessed.push(rule.is_none());
                how.push((extra.trim_start_matches(", ").to_owned(), devices[index].name.clone()));
                let place = match rule {
                    Some(rule) => place_of(&profile, rule.line),
                    None => "default".to_owned(),
                };
                said.push((bare, layer, place));
            }
        }
        for (index, member) in session.members.iter().enumerate() {
            for whole in member.bindings.wholes.iter().filter(|whole| *target == whole.target) {
                let layout =
                    table.part_of(number, index).and_then(|(_, part)| part_layout(table.source(part.source)?, part));
                let bare = layout.map_or("a sensor", |part| whole.source.name(part)).to_owned();
                let rule = whole.rule.and_then(|rule| profile.rules.get(usize::from(rule)));
                sources.push(told(index, &bare));
                guessed.push(rule.is_none());
                how.push((String::new(), devices[index].name.clone()));
                let place = rule.map_or_else(|| "default".to_owned(), |rule| place_of(&profile, rule.line));
                said.push((bare, String::new(), place));
            }
        }
        let action = profile.action(*target).map(str::to_owned);
        let prompt = profile.prompt(*target).map(str::to_owned);
        let (share, index, seen) = match *target {
            Target::Pad(own) => (session.state().share(own), slot.model.game_index(own), session.seen.done(own)),
            Target::Key(stroke) => {
                let typed = session.members.iter().map(|member| member.gives(*target)).fold(0.0, f32::max);
                (typed, String::new(), session.seen.done_key(stroke))
            }
        };
        let name = target.name_on(&slot.model).to_owned();
        BindingRow {
            target: *target,
            name,
            sources,
            options,
            guessed,
            combine,
            how,
            said,
            index,
            action,
            prompt,
            by,
            share,
            seen,
        }
    });
    let bindings = bindings.collect();
    let mut left_out = Vec::new();
    for (index, member) in session.members.iter().enumerate() {
        for control in held_axes(member) {
            let why =
                "it is not where a stick or trigger rests, so it is ignored until it has been there; or measure it";
            left_out.push((name_of(index, control.number), why.to_owned()));
        }
        for left in &member.bindings.left_out {
            left_out.push((name_of(index, left.control), left.why.to_owned()));
        }
    }
    left_out.truncate(CONTROLS);
    let mut unplayed = slot.unplayed(&profile);
    unplayed.truncate(CONTROLS);
    let unplayed = unplayed.into_iter().map(|(line, why)| (place_of(&profile, line), why)).collect();
    let lane = session.lane_before_feel();
    SlotDetail {
        number,
        kind: slot.kind.clone(),
        bindings,
        left_out,
        unplayed,
        feel: feel(now, table, number, slot),
        before_feel: (0..FIRST_LINE + LINES.len()).map(lane).collect(),
        pad_node: slot.pad_node.clone(),
        readers: table.readers(number).map(|all| all.iter().map(|reader| reader.name.clone()).collect()),
        made: made(slot),
        not_apart: slot.instead.is_some(),
        layers: profile.layers.iter().map(|one| (one.name.clone(), one.hold.text(), one.toggle)).collect(),
        notes: profile.notes.clone(),
        face: profile.face.clone(),
        trial: crate::trial::view(now, table, number),
        keys: keys(table, number, slot),
        helping: helping(now, slot),
        delay: slot.delay.summary(),
        rumble: slot.rumble.map(|(strong, weak, _)| (strong, weak)),
        game_lamps: slot.lamp.words(),
        shows: shows(table, number, session.members.len()),
        verdict: table.verdict(number).clone(),
        game_number: game_number(table, number),
        devices,
    }
}

/// How a slot's pad is made, in words; empty without a pad.
fn made(slot: &Slot) -> String {
    match (&slot.pad, slot.is_of_nodes()) {
        (PadCondition::Made, true) => "event nodes of uinput".into(),
        (PadCondition::Made, false) => "a device of its own, by uhid".into(),
        _ => String::new(),
    }
}

/// A line of a profile's file.
fn place_of(profile: &Profile, line: u32) -> String {
    format!("{}:{line}", profile.origin.rsplit('/').next().unwrap_or_default())
}

fn keys(table: &Table, number: SlotNumber, slot: &Slot) -> Option<KeysView> {
    let profile = table.profile_of(&slot.profile);
    let typed = profile.strokes().iter().any(|stroke| stroke.types());
    let not_agreed = table.not_agreed(&profile);
    typed.then(|| KeysView {
        nodes: slot.keys.name.clone().unwrap_or_default(),
        fault: slot.keys.fault.as_ref().map(PadFault::told),
        held_back: table.held_back(number).map(|why| why.words().to_owned()),
        not_agreed: not_agreed.iter().map(|stroke| stroke.name().to_owned()).collect(),
        agreed: !table.agreed(&profile.name).is_empty(),
        flickers: slot.session.members.iter().any(|member| member.bound() != 0),
    })
}

fn helping(now: Micros, slot: &Slot) -> Option<HelpView> {
    let (target, only, until) = match slot.session.helping()? {
        Assist::Only(target, until) => (target, true, until),
        Assist::Press(target, from) => (target, false, from),
    };
    Some(HelpView { target, only, left: tenths(until, now) })
}

fn feel(now: Micros, table: &Table, number: SlotNumber, slot: &Slot) -> FeelView {
    let measuring = table.measuring().filter(|(own, _)| *own == number).map(|(_, measure)| MeasureView {
        which: measure.which(),
        left: measure.deadline().map(|due| tenths(due, now)),
        moved: measure.moved(),
        rolled: (measure.rolled().0 as u8, measure.rolled().1 as u8),
        figures: measure.figures(),
        proposal: measure.proposal().map(|measured| (measured.dead_zone, measured.outer)),
    });
    FeelView {
        feel: *slot.session.feel(),
        old: slot.tuning.old,
        flipped: slot.tuning.flipped,
        measuring,
        walking: slot.session.walking(),
    }
}

/// The profile-wide settings, as stepped on the screen.
fn wide_view(profile: &Profile) -> WideView {
    WideView {
        opposite_last: profile.opposite == Opposite::Last,
        turn: profile.turn.map(|degrees| degrees.round() as i16),
        speed: profile.pace.speed.round() as u16,
        wheel: (profile.pace.wheel * 10.0).round() as u16,
    }
}

fn options_view(member: &Member, binding: &Binding, profile: &Profile) -> OptionsView {
    let thousandths = |share: f32| (share * 1000.0).round().clamp(0.0, 65_535.0) as u16;
    let millis = |time: Micros| (time.0 / 1000).min(65_535) as u16;
    let control = member.controls().iter().find(|control| control.number == binding.control);
    let options = control.map(|control| options_of(profile, binding, control)).unwrap_or_default();
    let is_place = |control: &Control| matches!(control.kind, ControlKind::Pointer | ControlKind::Contact);
    OptionsView {
        inverted: options.inverted,
        press: options.press.map(|(press, _)| thousandths(press)),
        sensitivity: thousandths(options.sensitivity),
        ramp: millis(options.ramp),
        toggle: options.toggle,
        shortest: millis(options.shortest),
        again: options.again.map_or(0, |times| (times * 10.0).round() as u16),
        row: {
            let presses = options.row.len().div_ceil(2) as u8;
            (presses, presses > 0 && options.row == usual_row(presses))
        },
        threshold: thousandths(options.threshold),
        tap: millis(options.tap),
        reach: options.reach.map(|reach| reach.round() as u32),
        spring: options.spring.map(millis),
        leave: options.leave,
        region: options.region.map(|edges| edges.map(thousandths)),
        kind: control.map_or(ControlKind::Button, |control| control.kind),
        travels: control
            .is_some_and(|control| matches!(control.place, Place::Value(_)) && control.kind != ControlKind::Hat),
        surface: member.controls().iter().any(is_place),
        with: options.with.len() as u8,
        wide: wide_view(profile),
    }
}

/// The number under which a game finds this pad: games follow the system's order of nodes, and not every slot has a pad.
pub(crate) fn game_number(table: &Table, number: SlotNumber) -> u16 {
    if let Some(seen) = table.verdict(number).number() {
        return seen;
    }
    // Until somebody has looked, its place among our pads.
    let node = |slot: &Slot| {
        let digits = slot.pad_node.rfind(|c: char| !c.is_ascii_digit()).map_or(0, |at| at + 1);
        slot.pad_node[digits..].parse::<u32>().unwrap_or(u32::MAX)
    };
    let made = table.slots().filter(|(_, slot)| slot.pad == PadCondition::Made);
    let place = |(other, slot): (SlotNumber, &Slot)| (node(slot), other);
    let Some(own) = table.slot(number).map(|slot| place((number, slot))) else { return 1 };
    1 + made.filter(|(other, slot)| place((*other, slot)) < own).count() as u16
}

fn absent(key: &Key) -> DeviceDetail {
    DeviceDetail {
        id: mantle_core::device::DeviceId(u16::MAX),
        part: key.part,
        name: key.name.clone(),
        present: false,
        place: key.port.as_ref().map_or_else(|| key.bus.name(), |port| format!("{} {port}", key.bus.name())),
        ids: (key.vendor, key.product, 0),
        serial: key.uniq.clone(),
        what: String::new(),
        driver: String::new(),
        sheet: None,
        face: Face::default(),
        sensed: Vec::new(),
        nodes: Vec::new(),
        cover: "gone".into(),
        passes: None,
        reports: (0, 0, 0),
        last_bad: String::new(),
        controls: Vec::new(),
        unread: 0,
        node: NodeId(u16::MAX),
        arriving: None,
        fields: Vec::new(),
    }
}

/// The most elements of reports shown of one node.
const FIELDS: usize = 160;

/// What a node's descriptor says about its reports, with the values of the latest one of each id.
pub(crate) fn fields(table: &Table, node: NodeId) -> Vec<FieldRow> {
    let Some(source) = table.source(node) else { return Vec::new() };
    let Some(layout) = source.layout() else { return Vec::new() };
    let controls = layout.parts.iter().flat_map(|part| &part.controls);
    let of = |want: &Want| -> Option<FieldRow> {
        let (report, offset, width, signed, big, place) = match *want {
            Want::Bit { report, offset, to } => (report.0, offset, 1, false, false, Place::Bit(to)),
            Want::Value { report, offset, width, signed, to } => {
                (report.0, offset, u32::from(width), signed, false, Place::Value(to))
            }
            Want::Big { report, offset, width, signed, to } => {
                (report.0, offset, u32::from(width), signed, true, Place::Value(to))
            }
            Want::Array { .. } => return None,
        };
        // A control may be where its number was translated to.
        let translated = layout.extras.translated.iter().find(|one| Place::Value(one.from) == place);
        let meant = translated.map_or(place, |one| Place::Value(one.to));
        let control = controls.clone().find(|control| control.place == meant)?;
        let value = match place {
            Place::Bit(_) => control.raw(&source.frame),
            Place::Value(at) => source.frame.values.get(usize::from(at)).copied().unwrap_or(0),
        };
        let scale = layout.extras.scale(control.number);
        Some(FieldRow {
            report,
            offset,
            width,
            name: control.name.clone(),
            control: Some(control.number.0),
            signed,
            big,
            scale: scale.map(|scale| (scale.factor, scale.offset, scale.unit.clone())),
            range: (control.min, control.max),
            raw: i64::from(value),
            share: control.share(value),
        })
    };
    let mut rows: Vec<FieldRow> = layout.wants.iter().filter_map(of).take(FIELDS).collect();
    rows.sort_by_key(|row| (row.report, row.offset));
    rows
}

/// What is known of a device besides its controls: battery, vectors, contacts; and how it is paired.
fn sensed(source: &Source) -> Vec<(String, String)> {
    let Some(layout) = source.layout() else { return Vec::new() };
    let frame = &source.frame;
    let sensors = || layout.parts.iter().map(|part| &part.sensors).filter(|_| source.good() > 0);
    let mut rows = Vec::new();
    if let Some((share, charges)) = source.battery() {
        let words = if charges { ", charging" } else { "" };
        rows.push(("battery".to_owned(), format!("{:.0} %{words}", share * 100.0)));
    }
    for vector in sensors().flat_map(|sensors| &sensors.vectors) {
        let ([right, up, near], unit) = (vector.read(frame), vector.unit());
        rows.push((vector.name.clone(), format!("right {right:.2}, up {up:.2}, near {near:.2} {unit}")));
    }
    for contact in sensors().flat_map(|sensors| &sensors.contacts) {
        let words = contact.read(frame).map_or_else(
            || "nothing touches".to_owned(),
            |[x, y]| format!("{:.0} % across, {:.0} % down", x * 100.0, y * 100.0),
        );
        rows.push((contact.name.clone(), words));
    }
    if let Some(pairing) = source.sheet.as_ref().and_then(|sheet| sheet.pairing.clone()) {
        rows.push(("pairing".to_owned(), pairing));
    }
    rows
}

fn device_detail(now: Micros, table: &Table, device: &Device, part: &PartRef, member: Option<&Member>) -> DeviceDetail {
    let Some(source) = table.source(part.source) else { return absent(&Key::default()) };
    let identity = &source.facts.identity;
    let layout = source.layout().and_then(|layout| layout.parts.get(part.local));
    let seat = table.seat(device.id, part.number);
    let by = seat.and_then(|seat| table.slot(seat.slot)).map(|slot| (table.profile_of(&slot.profile), &slot.model));
    let plays = |control: &Control| match (member, &by) {
        (Some(member), Some((profile, model))) => crate::plays::words(profile, member, control, model),
        _ => String::new(),
    };
    let sights = table.observed(device.id, part.number).map(|observed| observed.sights(now)).unwrap_or_default();
    let known = table.calibration_of(device.id, part.number);
    let controls = layout.map(|layout| layout.controls.iter().take(CONTROLS)).into_iter().flatten().enumerate();
    let controls = controls.map(|(at, control)| {
        let raw = control.raw(&source.frame);
        let sight = sights.get(at).copied().flatten();
        let calibration = known.iter().find(|(name, _)| *name == control.name).map(|(_, calibration)| *calibration);
        let shown = calibration.map_or(raw, |calibration| calibration.correct(control.min, control.max, raw));
        ControlRow {
            promised: (control.min, control.max),
            seen: sight.map(|sight| sight.range),
            rest: sight.and_then(|sight| sight.rest),
            calibrated: calibration.map(|own| (own.low, own.rest, own.high)),
            number: control.number.0,
            name: control.name.clone(),
            kind: control.kind.word().into(),
            raw,
            share: control.share(shown),
            active: is_active(source, control, shown),
            plays: plays(control),
        }
    });
    let access = match &source.access {
        Access::Closed => "not read".to_owned(),
        Access::Opening => "opening".to_owned(),
        Access::Open => "open".to_owned(),
        Access::Refused(fault) => format!("refused ({})", fault.name()),
    };
    let mut nodes = vec![NodeRow { path: source.facts.path.clone(), access }];
    // Games read the same input node.
    let games = source.facts.inputs.iter().filter(|path| **path != source.facts.path);
    nodes.extend(games.map(|path| NodeRow { path: path.clone(), access: device.cover.words().into() }));
    DeviceDetail {
        id: device.id,
        part: part.number,
        name: device.name.clone(),
        present: true,
        place: identity.place(),
        ids: (identity.vendor, identity.product, identity.version),
        serial: identity.uniq.clone(),
        what: layout.map_or_else(|| "unreadable".into(), |part| part.usage.name()),
        driver: source.facts.driver.name().to_owned(),
        sheet: source.sheet.as_ref().map(|sheet| format!("{} ({})", sheet.name, sheet.origin)),
        face: source.sheet.as_ref().map(|sheet| sheet.face.clone()).unwrap_or_default(),
        sensed: sensed(source),
        nodes,
        cover: device.cover.words().into(),
        passes: table.passes(device),
        reports: (source.reports.count, source.good(), source.bad.count),
        last_bad: trouble(source).unwrap_or_else(|| source.last_bad.clone()),
        controls: controls.collect(),
        unread: layout.map_or(0, |layout| layout.unread),
        node: part.source,
        arriving: None,
        fields: Vec::new(),
    }
}

/// Axes whose rest is not certain yet.
pub(crate) fn held_axes(member: &Member) -> impl Iterator<Item = &mantle_core::control::Control> {
    member.held().filter(|control| control.kind == mantle_core::control::ControlKind::Axis)
}
