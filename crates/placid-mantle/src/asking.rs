//! Verbs that ask the running engine, for people and for scripts.

use crate::args::{OnOff, PlaceArgs};
pub(crate) use crate::asked::Asked;
use crate::exit::{Exit, refuse};
use crate::say::{say, say_error};
use mantle_talk::{
    Command, DeviceRow, Feedback, LampChoice, Mark, PadKind, Sentence, SlotNumber, SlotRow, Snapshot, Stage, StageState,
};
use serde::Serialize;

fn either(done: Result<Exit, Exit>) -> Exit {
    done.unwrap_or_else(|exit| exit)
}

fn slot(number: u8) -> Result<SlotNumber, Exit> {
    SlotNumber::new(number).ok_or_else(|| refuse(format!("there is no slot {number}: slots are 1 to 8")))
}

fn ask(command: impl FnOnce() -> Result<Command, Exit>) -> Exit {
    either(command().and_then(|command| Asked::engine()?.command(command)))
}

/// `swap`.
pub fn swap(one: u8, other: u8) -> Exit {
    ask(|| Ok(Command::Move { from: slot(one)?, to: slot(other)? }))
}

/// `take-out`.
pub fn take_out(number: u8) -> Exit {
    ask(|| Ok(Command::TakeOut { slot: slot(number)? }))
}

/// `use-profile`.
pub fn use_profile(number: u8, profile: String) -> Exit {
    ask(|| Ok(Command::PlayBy { slot: slot(number)?, profile }))
}

/// `pause`.
pub fn pause(number: u8) -> Exit {
    ask(|| Ok(Command::PauseSlot { slot: slot(number)?, paused: true }))
}

/// `resume`.
pub fn resume(number: Option<u8>) -> Exit {
    ask(|| match number {
        Some(number) => Ok(Command::PauseSlot { slot: slot(number)?, paused: false }),
        None => Ok(Command::Resume),
    })
}

/// `let-go`.
pub fn let_go() -> Exit {
    ask(|| Ok(Command::LetGo))
}

/// Carries out a command about a device that is given by name.
fn ask_of(name: &str, command: impl FnOnce(&Snapshot, &DeviceRow) -> Result<Command, Exit>) -> Exit {
    let asked = || {
        let engine = Asked::engine()?;
        let snapshot = engine.snapshot()?;
        engine.command(command(&snapshot, find(&snapshot.devices, name)?)?)
    };
    either(asked())
}

/// `lend`.
pub fn lend(device: &str, number: u8) -> Exit {
    either(
        slot(number)
            .map(|slot| ask_of(device, |_, device| Ok(Command::Lend { device: device.id, part: device.part, slot }))),
    )
}

/// `find`.
pub fn find_device(device: &str) -> Exit {
    ask_of(device, |_, device| Ok(Command::FindDevice { device: device.id }))
}

/// `rumble` and `lamp`: changes one of the two and keeps the other.
fn feedback(number: u8, change: impl FnOnce(&mut Feedback)) -> Exit {
    let asked = || {
        let (slot, engine) = (slot(number)?, Asked::engine()?);
        let snapshot = engine.snapshot()?;
        let row = snapshot.slots.iter().find(|row| row.number == slot);
        let mut feedback = row.ok_or_else(|| refuse(format!("{slot} is empty")))?.feedback;
        change(&mut feedback);
        engine.command(Command::SetFeedback { slot, feedback })
    };
    either(asked())
}

/// `kind`: the kind with this name, in a shape that suits the slot's devices.
pub fn kind(number: u8, name: &str, apart: bool) -> Exit {
    let asked = || {
        let (slot, engine) = (slot(number)?, Asked::engine()?);
        let snapshot = engine.snapshot()?;
        if !snapshot.slots.iter().any(|row| row.number == slot) {
            return Err(refuse(format!("{slot} is empty")));
        }
        // Several devices of one player have the controls of all of them.
        let own = snapshot.devices.iter().filter(|device| device.slot == Some(slot)).map(|device| device.kinds.clone());
        let both = |all: Vec<PadKind>, more: Vec<PadKind>| {
            all.iter().zip(&more).map(|(one, two)| one.with(two)).collect::<Vec<_>>()
        };
        let kinds = own.reduce(both).unwrap_or_else(|| PadKind::offers(Default::default()).to_vec());
        let found = kinds.iter().find(|kind| kind.name().eq_ignore_ascii_case(name.trim()));
        let found = found.cloned().ok_or_else(|| {
            let all: Vec<&str> = kinds.iter().map(PadKind::name).collect();
            refuse(format!("there is no kind of pad named {name}; there are: {}", all.join(", ")))
        })?;
        let kind = match (found.set_apart(), apart) {
            (Some(kind), true) => kind,
            (None, true) => {
                return Err(refuse(format!("only a common pad can be made a device of its own, not a {name}")));
            }
            (_, false) => found,
        };
        engine.command(Command::Kind { slot, kind })
    };
    either(asked())
}

/// `rumble`.
pub fn rumble(number: u8, percent: u8) -> Exit {
    feedback(number, |feedback| feedback.rumble = percent)
}

/// `lamp`.
pub fn lamp(number: u8, shows: &str) -> Exit {
    let words = "lamps show slot, battery, off or a colour such as #ff8000";
    let choice = LampChoice::named(shows).ok_or_else(|| refuse(format!("{words}, not {shows}")));
    either(choice.map(|choice| feedback(number, |feedback| feedback.lamp = choice)))
}

/// `tie`.
pub fn tie(device: &str, number: u8) -> Exit {
    either(
        slot(number)
            .map(|slot| ask_of(device, |_, device| Ok(Command::Tie { device: device.id, part: device.part, slot }))),
    )
}

/// `untie`: a device of the slot, absent or not, moves to the lowest free slot if there is one.
pub fn untie(name: &str, number: u8) -> Exit {
    let asked = || {
        let (slot, engine) = (slot(number)?, Asked::engine()?);
        let snapshot = engine.snapshot()?;
        let row = snapshot.slots.iter().find(|row| row.number == slot);
        let row = row.ok_or_else(|| refuse(format!("{slot} is empty")))?;
        let at = only_one(&row.names, String::as_str, String::clone, name)?.ok_or_else(|| {
            refuse(format!("no device of {slot} is named {name}; there are: {}", row.names.join(", ")))
        })?;
        let back = snapshot.free_slot().map(|free| (free, row.kind.clone(), mantle_core::table::PLAIN.to_owned()));
        engine.command(Command::Untie { slot, member: row.members[at], back })
    };
    either(asked())
}

/// `same-device`: with a slot, the device is that slot's own; without one, it is separate again.
pub fn same_device(device: &str, number: Option<u8>) -> Exit {
    either(number.map(slot).transpose().map(|slot| {
        ask_of(device, |_, device| {
            Ok(match slot {
                Some(slot) => Command::SameDevice { device: device.id, part: device.part, slot },
                None => Command::OtherDevice { device: device.id, part: device.part },
            })
        })
    }))
}

/// `lock` and `unlock`.
pub fn lock(locked: bool) -> Exit {
    ask(|| Ok(Command::Lock(locked)))
}

/// `sit-down`.
pub fn sit_down(by_two: Option<OnOff>) -> Exit {
    ask(|| Ok(by_two.map_or(Command::AskToSit(true), |by_two| Command::SitByTwo(by_two == OnOff::On))))
}

/// `nickname`.
pub fn nickname(device: &str, name: Option<String>) -> Exit {
    ask_of(device, |_, device| Ok(Command::Nickname { device: device.id, name: name.unwrap_or_default() }))
}

/// `place`.
pub fn place(args: &PlaceArgs) -> Exit {
    either(args.slot.map(slot).transpose().map(|wanted| {
        ask_of(&args.device, |snapshot, device| {
            let slot = wanted.or(device.slot).or_else(|| snapshot.free_slot());
            let slot = slot.ok_or_else(|| refuse("all slots are in use: choose one with --slot"))?;
            let (id, part, kind, profile) = (device.id, device.part, device.kind.clone(), args.profile.clone());
            Ok(Command::Place { device: id, part, slot, kind, profile })
        })
    }))
}

/// The device with this name, or with a unique part of it.
pub(crate) fn find<'a>(devices: &'a [DeviceRow], name: &str) -> Result<&'a DeviceRow, Exit> {
    let shown = |device: &DeviceRow| format!("{} ({})", device.name, device.place);
    match only_one(devices, |device| device.name.as_str(), shown, name)? {
        Some(at) => Ok(&devices[at]),
        None if devices.is_empty() => Err(refuse("no device is connected")),
        None => {
            let all: Vec<String> = devices.iter().map(shown).collect();
            Err(refuse(format!("no device is named {name}; there are: {}", all.join(", "))))
        }
    }
}

/// The entry with this name, or with a unique part of it; none if there is no such entry.
fn only_one<T>(
    all: &[T],
    name_of: impl Fn(&T) -> &str,
    shown: impl Fn(&T) -> String,
    name: &str,
) -> Result<Option<usize>, Exit> {
    let lower = name.to_lowercase();
    let those = |fits: &dyn Fn(&str) -> bool| -> Vec<usize> {
        (0..all.len()).filter(|at| fits(&name_of(&all[*at]).to_lowercase())).collect()
    };
    let exact = those(&|own| own == lower);
    let found = if exact.is_empty() { those(&|own| own.contains(&lower)) } else { exact };
    match found.as_slice() {
        [] => Ok(None),
        [one] => Ok(Some(*one)),
        several => {
            let names: Vec<String> = several.iter().map(|at| shown(&all[*at])).collect();
            Err(refuse(format!("{name} could be {}: type more of its name", names.join(", "))))
        }
    }
}

/// `stop`.
pub fn stop() -> Exit {
    either(stop_engine())
}

fn stop_engine() -> Result<Exit, Exit> {
    let engine = Asked::engine()?;
    let pid = engine.greeting().pid;
    if engine.ends() {
        say!("the engine (process {pid}) has ended");
        return Ok(Exit::Fine);
    }
    say_error!("placid-mantle: the engine (process {pid}) was asked to end and has not");
    Err(Exit::Failed)
}

/// `status --json`.
#[derive(Serialize)]
struct Status<'a> {
    engine: Engine,
    sentence: &'a Sentence,
    sentences: &'a [Sentence],
    paused: bool,
    locked: bool,
    slots: Vec<StatusSlot<'a>>,
    devices: Vec<StatusDevice<'a>>,
}

#[derive(Serialize)]
struct Engine {
    pid: i32,
    since: u64,
    stays: bool,
}

#[derive(Serialize)]
struct StatusSlot<'a> {
    number: u8,
    devices: &'a [String],
    profile: &'a str,
    kind: String,
    paused: bool,
    mark: Mark,
    word: &'a str,
    sentence: &'a str,
    stages: Vec<(&'static str, StageState)>,
    /// What a game sees of a slot, in two short lines.
    games: &'a [String; 2],
}

#[derive(Serialize)]
struct StatusDevice<'a> {
    name: &'a str,
    place: &'a str,
    slot: Option<u8>,
    waits_for: Option<u8>,
    what: &'a str,
    trouble: Option<&'a str>,
}

/// `status`.
pub fn status(json: bool) -> Exit {
    either(say_status(json))
}

fn say_status(json: bool) -> Result<Exit, Exit> {
    let engine = Asked::engine()?;
    let snapshot = engine.snapshot()?;
    let greeting = &engine.greeting();
    let Some(first) = snapshot.sentences.first() else { return Err(Exit::Failed) };
    if json {
        let status = Status {
            engine: Engine { pid: greeting.pid, since: greeting.since, stays: greeting.stays },
            sentence: first,
            sentences: &snapshot.sentences,
            paused: snapshot.paused,
            locked: snapshot.locked,
            slots: snapshot.slots.iter().map(status_slot).collect(),
            devices: snapshot.devices.iter().map(status_device).collect(),
        };
        let Ok(text) = crate::say::json(&status) else { return Err(Exit::Failed) };
        say!("{text}");
        return Ok(Exit::Fine);
    }
    for sentence in &snapshot.sentences {
        say!("{} {}", sign(sentence.mark), sentence.text);
    }
    say!();
    for slot in &snapshot.slots {
        let names = slot.names.join(" + ");
        let [sees, beside] = &slot.games;
        let seen = if beside.is_empty() { sees.clone() } else { format!("{sees}, {beside}") };
        let (number, profile, kind, word) =
            (slot.number.number(), &slot.profile, slot.kind.name(), &slot.sentence.word);
        say!("slot {number}  {names}  {profile}  {kind}  {word}  a game {seen}");
    }
    for device in snapshot.devices.iter().filter(|device| device.slot.is_none()) {
        say!("no slot  {}  {}  {}", device.name, device.place, device.trouble.as_deref().unwrap_or(&device.what));
    }
    Ok(Exit::Fine)
}

fn sign(mark: Mark) -> &'static str {
    match mark {
        Mark::Stop => "stop:",
        Mark::Ask => "asks:",
        Mark::Doubt => "look:",
        Mark::Kept => "kept:",
        Mark::Hint => "next:",
        Mark::Well => "well:",
    }
}

fn status_slot(row: &SlotRow) -> StatusSlot<'_> {
    StatusSlot {
        number: row.number.number(),
        devices: &row.names,
        profile: &row.profile,
        kind: row.kind.name().to_string(),
        paused: row.paused,
        mark: row.sentence.mark,
        word: &row.sentence.word,
        sentence: &row.sentence.text,
        stages: Stage::ALL.iter().map(|stage| (stage.name(), row.stages[*stage as usize])).collect(),
        games: &row.games,
    }
}

fn status_device(row: &DeviceRow) -> StatusDevice<'_> {
    StatusDevice {
        name: &row.name,
        place: &row.place,
        slot: row.slot.map(SlotNumber::number),
        waits_for: row.waits.map(SlotNumber::number),
        what: &row.what,
        trouble: row.trouble.as_deref(),
    }
}
