//! The board's rows for slots and devices.

use crate::health::{is_active, trouble};
use crate::parts::part_layout;
use crate::rates::Rates;
use crate::words::{feel_words, games_words};
use mantle_core::binding::offered;
use mantle_core::control::{Control, PartLayout};
use mantle_core::cover::Cover;
use mantle_core::device::Driver;
use mantle_core::pad::PadKind;
use mantle_core::path::Looked;
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Device, PartRef, Slot, Source, Table};
use mantle_talk::{DeviceRow, SlotRow};

/// The row of a slot.
pub(crate) fn slot_row(rates: &Rates, table: &Table, number: SlotNumber, slot: &Slot, looked: Looked) -> SlotRow {
    let session = &slot.session;
    let rate = rates.of_slot(number);
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
        feedback: slot.feedback,
        kind: slot.kind.clone(),
        games: games_words(table, number, slot),
        next: looked.next,
        sentence: looked.sentences.into_iter().next().unwrap_or_else(|| mantle_talk::Sentence::well(number)),
    }
}

/// The row of a part of a device.
pub(crate) fn device_row(rates: &Rates, table: &Table, device: &Device, part: &PartRef) -> DeviceRow {
    let source = table.source(part.source);
    let layout = source.and_then(|s| s.layout()).and_then(|layout| layout.parts.get(part.local));
    let controllers = device.parts.len();
    let recorded = source.is_some_and(|source| source.facts.driver == Driver::Recording);
    let place_in = device.parts.iter().position(|p| p.number == part.number).unwrap_or(0) + 1;
    let (mut kinds, kind) = match layout {
        Some(layout) => offered(layout),
        None => (PadKind::offers(Default::default()).to_vec(), PadKind::default()),
    };
    kinds.extend(table.own_pads().iter().cloned().map(PadKind::from));
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
        rate: source.map_or(0, |source| rates.of(source).per_second()),
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
