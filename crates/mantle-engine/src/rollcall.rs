//! A roll call for a snapshot.

use mantle_core::listening::Calling;
use mantle_core::pad::PadModel;
use mantle_core::rollcall::{self, position};
use mantle_core::table::{Source, Table};
use mantle_core::time::Micros;
use mantle_talk::{CallState, HeardView, RollCallView};

pub(crate) fn view(table: &Table, calling: &Calling, now: Micros) -> RollCallView {
    let call = &calling.call;
    let name = |member: usize| {
        let device = table.part_of(calling.slot, member).map(|(device, _)| device.name.clone());
        device.unwrap_or_default()
    };
    let model = table.slot(calling.slot).map_or_else(|| PadModel::default().into(), |slot| slot.model.clone());
    let members = table.slot(calling.slot).map_or(0, |slot| slot.session.members.len());
    let keyboard = (0..members).find(|member| {
        let part = table.part_of(calling.slot, *member);
        part.and_then(|(_, part)| table.source(part.source)).is_some_and(Source::steers)
    });
    let last = call.last().map(|(target, answer)| HeardView {
        target,
        device: name(answer.member),
        source: answer.source.text(),
        inverted: answer.inverted,
        why: answer.why.clone(),
        figures: answer.figures.clone(),
        follows: call
            .list()
            .iter()
            .filter(|(_, state)| matches!(state, rollcall::CallState::Answered(other) if other.follows == Some(target)))
            .map(|(own, _)| *own)
            .collect(),
    });
    let rows = call.list().iter().map(|(target, state)| {
        let state = match state {
            rollcall::CallState::Waiting => CallState::Waiting,
            rollcall::CallState::Skipped => CallState::Skipped,
            rollcall::CallState::Answered(answer) => CallState::Answered(answer.source.text()),
        };
        (*target, state)
    });
    RollCallView {
        slot: calling.slot,
        target: call.target(),
        position: call.target().map_or("", |target| position(target, &model)).into(),
        rows: rows.collect(),
        hears: call.hears(now),
        pressed: call.pressed(),
        question: call.question().map(|question| (question.answer.source.text(), question.plays)),
        unclear: call.unclear().map(str::to_owned),
        last,
        traces: call.traces().into_iter().map(|(name, trace)| (name, trace.to_vec())).collect(),
        steering: call.steering().map(|name| name.map(str::to_owned)),
        keyboard: keyboard.map(name),
    }
}
