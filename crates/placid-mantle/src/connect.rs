//! `connect`: shows what turns up, and connects one device over the computer's radio, for people without a screen and for scripts.

use crate::args::ConnectArgs;
use crate::asking::Asked;
use crate::exit::{Exit, refuse};
use crate::say::{say, say_error};
use mantle_talk::{
    Command, ConnectAct, ConnectView, Dialogue, JourneyStep, JourneyView, RadioRow, RadioState, Watch, Wish,
};
use serde::Serialize;
use std::io::{BufRead, IsTerminal};
use std::time::{Duration, Instant};

/// The longest that one connection can take: every step at its limit, and two reconnections.
const LONGEST: Duration = Duration::from_secs(300);

/// How long to wait for the radio to say what it can do.
const ANSWERS: Duration = Duration::from_secs(20);
/// How long a radio may take to switch on.
const SWITCHES_ON: Duration = Duration::from_secs(4);

/// Searches, or connects one device.
pub fn run(args: &ConnectArgs) -> Exit {
    connect(args).unwrap_or_else(|exit| exit)
}

fn connect(args: &ConnectArgs) -> Result<Exit, Exit> {
    let asked = Asked::engine()?;
    asked.order(Wish::Watch(Watch { connecting: true, ..Watch::default() }));
    let until = Instant::now() + Duration::from_secs(args.seconds);
    let known = |view: &ConnectView| (view.state != RadioState::Unknown).then(|| view.state.clone());
    let answers = Instant::now() + ANSWERS;
    let Some(state) = asked.wait_until(answers, |snapshot| known(snapshot.connecting.as_deref()?))? else {
        say_error!("placid-mantle: the Bluetooth service (bluetoothd) does not answer");
        return Ok(Exit::Failed);
    };
    let Some(name) = &args.device else { return look(&asked, args, until) };
    if args.on && state == RadioState::Off {
        let _ = asked.done(Command::Connect(ConnectAct::SwitchOn))?;
    }
    // A radio that was just plugged in is not on yet.
    let on = |view: &ConnectView| (view.state == RadioState::Ready).then_some(());
    if asked.wait_until(Instant::now() + SWITCHES_ON, |snapshot| on(snapshot.connecting.as_deref()?))?.is_none() {
        say_error!("placid-mantle: {} {}", state.sentence(), state.remedy());
        return Ok(Exit::Failed);
    }
    let Some(row) = find(&asked, name, until)? else {
        say_error!("placid-mantle: the radio did not find {name:?} within {} s", args.seconds);
        return Ok(Exit::Failed);
    };
    let address = row.device.address.clone();
    let act = match (&args.forget, &args.rename, args.disconnect) {
        (true, ..) => ConnectAct::Forget(address),
        (_, Some(name), _) => ConnectAct::Rename(address, name.clone()),
        (.., true) => ConnectAct::Drop(address),
        _ => return bring(&asked, args, &row),
    };
    match asked.done(Command::Connect(act))? {
        Ok(_) => {
            say!("{}: done", row.device.name);
            Ok(Exit::Fine)
        }
        Err(why) => Ok(refuse(why)),
    }
}

#[derive(Serialize)]
struct ConnectSaid<'a> {
    version: u32,
    #[serde(flatten)]
    view: &'a ConnectView,
}

/// Prints findings as they come, until something turns up.
fn look(asked: &Asked, args: &ConnectArgs, until: Instant) -> Result<Exit, Exit> {
    let (mut told, mut last): (Vec<String>, Option<ConnectView>) = (Vec::new(), None);
    let came = asked.wait_until(until, |snapshot| {
        let view = snapshot.connecting.as_deref()?;
        last = Some(view.clone());
        if !args.json {
            if told.is_empty() {
                say!("{} {}", view.state.sentence(), view.state.remedy());
                told.push(String::new());
            }
            for row in view.rows.iter().filter(|row| !told.contains(&row.device.address)).collect::<Vec<_>>() {
                told.push(row.device.address.clone());
                say!("{}", line(row));
            }
        }
        (!view.came.is_empty()).then(|| view.came.clone())
    })?;
    let Some(view) = last else { return Ok(Exit::Failed) };
    if args.json {
        let Ok(text) = crate::say::json(&ConnectSaid { version: 1, view: &view }) else { return Ok(Exit::Failed) };
        say!("{text}");
        return Ok(Exit::Fine);
    }
    for came in came.iter().flatten() {
        let slot = came.slot.map_or_else(String::new, |slot| format!(", in {slot}"));
        say!("{} is there, {}{slot}", came.name, came.way);
        came.notes.iter().for_each(|note| say!("    {note}"));
    }
    Ok(Exit::Fine)
}

fn line(row: &RadioRow) -> String {
    let device = &row.device;
    let battery = device.battery.map_or_else(String::new, |percent| format!(", battery {percent} %"));
    let seen = row.seen.as_ref().map_or_else(String::new, |seen| format!(", seen {seen}"));
    format!("{}  {}: {}, {}{battery}{seen}", device.address, device.name, device.kind().words(), device.stands())
}

/// The device with this address, or with a unique part of this name.
fn find(asked: &Asked, name: &str, until: Instant) -> Result<Option<RadioRow>, Exit> {
    let wanted = name.to_lowercase();
    asked.wait_until(until, |snapshot| {
        let view = snapshot.connecting.as_ref()?;
        // A device that has turned up since is listed separately.
        let came = view.came.iter().filter_map(|came| came.radio.clone());
        let mut rows = view.rows.clone();
        rows.extend(came.map(|device| RadioRow { device, ..RadioRow::default() }));
        let exact = rows.iter().find(|row| row.device.address.eq_ignore_ascii_case(name));
        let mut like = rows.iter().filter(|row| row.device.name.to_lowercase().contains(&wanted));
        let only = like.next().filter(|_| like.next().is_none());
        exact.or(only).cloned()
    })
}

/// Connects a device step by step.
fn bring(asked: &Asked, args: &ConnectArgs, row: &RadioRow) -> Result<Exit, Exit> {
    // Clears what an earlier attempt left.
    let _ = asked.done(Command::Connect(ConnectAct::GiveUp))?;
    if let Err(why) = asked.done(Command::Connect(ConnectAct::Begin(row.device.address.clone())))? {
        say_error!("placid-mantle: {why}");
        return Ok(Exit::Failed);
    }
    let until = Instant::now() + LONGEST;
    let mut before: Option<JourneyStep> = None;
    loop {
        let next = |view: &ConnectView| {
            let journey = view.journey.clone().filter(|journey| journey.address == row.device.address)?;
            let news = before.as_ref() != Some(&journey.step);
            // A readable device appears at once, or with the next snapshot.
            let there = !matches!(journey.step, JourneyStep::There(_)) || journey.device.is_some();
            (news && there).then_some((journey, view.came.clone()))
        };
        let Some((journey, came)) = asked.wait_until(until, |snapshot| next(snapshot.connecting.as_deref()?))? else {
            say_error!("placid-mantle: it takes too long");
            return Ok(Exit::Failed);
        };
        before = Some(journey.step.clone());
        match &journey.step {
            JourneyStep::Failed(_) => {
                say_error!("placid-mantle: {}", journey.sentence);
                row.hints.iter().for_each(|(label, text)| say_error!("    {label}: {text}"));
                return Ok(Exit::Failed);
            }
            JourneyStep::There(_) => {
                say!("{}", journey.sentence);
                let own = came.iter().find(|came| Some(came.device) == journey.device);
                own.into_iter().flat_map(|came| &came.notes).for_each(|note| say!("    {note}"));
                return Ok(Exit::Fine);
            }
            JourneyStep::Pairing(Some(dialogue)) => {
                say!("{}", journey.sentence);
                if let Some(act) = answer(args, dialogue, &journey)
                    && let Err(why) = asked.done(Command::Connect(act))?
                {
                    say_error!("placid-mantle: {why}");
                    let _ = asked.done(Command::Connect(ConnectAct::GiveUp))?;
                    return Ok(Exit::Usage);
                }
            }
            _ => say!("{}", journey.sentence),
        }
    }
}

/// The answer to a question: as given on the command line, or typed now. Without a terminal, the answer is no.
fn answer(args: &ConnectArgs, dialogue: &Dialogue, journey: &JourneyView) -> Option<ConnectAct> {
    let read = || {
        let stdin = std::io::stdin();
        if !stdin.is_terminal() {
            return None;
        }
        let mut typed = String::new();
        stdin.lock().read_line(&mut typed).ok()?;
        Some(typed.trim().to_owned()).filter(|typed| !typed.is_empty())
    };
    match dialogue {
        Dialogue::Type { .. } => None,
        Dialogue::EnterCode | Dialogue::EnterPin => {
            let code = args.code.clone().or_else(read);
            if code.is_none() {
                say_error!("placid-mantle: {} needs a code: --code CODE", journey.name);
            }
            Some(ConnectAct::Answer(code))
        }
        Dialogue::Compare(_) | Dialogue::Allow => {
            let yes = args.yes || read().is_some_and(|typed| matches!(typed.as_str(), "y" | "yes"));
            if !yes {
                say_error!("placid-mantle: the answer was taken as no; use --yes to answer yes in advance");
            }
            Some(ConnectAct::Answer(yes.then(String::new)))
        }
    }
}
