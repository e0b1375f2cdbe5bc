//! `play`: starts a game once its pads are there, with its rule applied; afterwards everything is as before.

use crate::args::PlayArgs;
use crate::asking::Asked;
use crate::exit::{Exit, refuse};
use crate::say::{say, say_error};
use mantle_core::cover::{Cover, Strength};
use mantle_core::games::{GameRule, RunningProgram};
use mantle_core::sight::{SightView, Whose};
use mantle_files::mapping;
use mantle_link::Place;
use mantle_linux::children;
use mantle_linux::private_dev::{self, Inside};
use mantle_linux::readiness;
use mantle_talk::{Command, PadKind, PadTarget, SlotNumber, SlotRow, SlotRule, Snapshot, Watch, Wish};
use std::collections::BTreeSet;
use std::ffi::{OsStr, OsString};
use std::path::Path;
use std::process::{self, Stdio};
use std::time::{Duration, Instant};

/// How long to wait for pads, and for an engine to start.
const PADS: Duration = Duration::from_secs(10);
/// How long a freshly started engine may take until its devices play.
const DEVICES: Duration = Duration::from_secs(4);
/// How often the game's own `/dev` is updated.
const LOOK: Duration = Duration::from_millis(200);

/// Environment variables for the common game library.
const MAPPINGS: &str = "SDL_GAMECONTROLLERCONFIG";
const IGNORED: &str = "SDL_GAMECONTROLLER_IGNORE_DEVICES";
const WITHOUT_UDEV: &str = "SDL_JOYSTICK_DISABLE_UDEV";

/// Runs the game. Returns its exit code, or ours if it could not be started.
pub fn run(args: &PlayArgs) -> process::ExitCode {
    match play(args) {
        Ok(code) => process::ExitCode::from(code),
        Err(exit) => exit.into(),
    }
}

fn play(args: &PlayArgs) -> Result<u8, Exit> {
    let engine = PlayEngine::come()?;
    let slots = engine.slots(args)?;
    let (rule, program) = rule(args, &slots);
    if !args.print && (!rule.slots.is_empty() || rule.stays_out) {
        let called = program.map_or_else(String::new, |program| program.name().to_owned());
        let wanted = Command::PlayFor { pid: process::id(), called, rule: rule.clone() };
        engine.asked.done(wanted)?.map_err(refuse)?;
    }
    let seen = engine.wait_for_pads(&slots, &rule)?;
    // If a device cannot be hidden, the next best way is to show the game something else.
    let by_itself = !args.private && !args.shared && !args.print && seen.is_listed() && readiness::namespaces();
    let private = args.private || by_itself;
    let variables = variables(&seen.view, &seen.kinds, private);
    if args.print {
        for (name, value) in &variables {
            format!("export {name}={}", quoted(value)).split('\n').for_each(|line| say!("{line}"));
        }
        return Ok(0);
    }
    let Some((command, arguments)) = args.command.split_first() else {
        return Err(refuse("which game? Write its command after two dashes: placid-mantle play -- COMMAND"));
    };
    seen.lines.iter().for_each(|line| say_error!("placid-mantle: {line}"));
    if by_itself {
        say_error!(
            "placid-mantle: devices can only be held here, not hidden, so the game gets a private /dev with only our pads (--shared turns that off)"
        );
    }
    if !rule.note.is_empty() {
        say_error!("placid-mantle: your note: {}", rule.note);
    }
    let own = engine.started.iter().copied().collect::<Vec<_>>();
    if private {
        return in_private(command, arguments, &variables, &own);
    }
    let mut game = process::Command::new(command);
    game.args(arguments).envs(variables.iter().map(|(name, value)| (name, value)));
    children::run(&mut game, &own).map_err(|error| not_started(command, &error))
}

fn not_started(command: &OsStr, error: &std::io::Error) -> Exit {
    say_error!("placid-mantle: {} cannot be started: {error}", command.to_string_lossy());
    Exit::Usage
}

/// The engine, and its process if it was started for this game.
struct PlayEngine {
    asked: Asked,
    started: Option<u32>,
}

/// What the game will find.
struct Seen {
    view: SightView,
    kinds: Vec<PadKind>,
    lines: Vec<String>,
}

impl Seen {
    /// Whether a game would list a playing device despite our efforts: it is held, or hiding was refused.
    fn is_listed(&self) -> bool {
        self.view.rows.iter().any(|row| {
            let only_held = matches!(row.cover, Cover::Covered(Strength::Held) | Cover::Failed(_));
            only_held && row.number.is_some() && matches!(row.whose, Whose::Device(..))
        })
    }
}

impl PlayEngine {
    /// Connects to the running engine; if there is none, starts one that ends with the game.
    fn come() -> Result<Self, Exit> {
        if let Some(asked) = Asked::quietly() {
            return Ok(Self { asked, started: None });
        }
        let place = Place::of_this_account().map_err(|fault| refuse(fault.to_string()))?;
        let mut serve = process::Command::new("/proc/self/exe");
        serve.arg("serve").stdin(Stdio::null()).stdout(Stdio::null());
        let pid = children::start_apart(&mut serve).map_err(|error| not_started(OsStr::new("the engine"), &error))?;
        let until = Instant::now() + PADS;
        while Instant::now() < until {
            if place.holder().is_some()
                && let Some(asked) = Asked::quietly()
            {
                return Ok(Self { asked, started: Some(pid) });
            }
            // The engine has already said why it refused.
            if children::has_ended(pid) {
                return Err(Exit::Failed);
            }
            std::thread::sleep(Duration::from_millis(50));
        }
        say_error!("placid-mantle: the engine just started (process {pid}) does not answer");
        Err(Exit::Failed)
    }

    /// The slots to wait for: the named ones, or all in use.
    fn slots(&self, args: &PlayArgs) -> Result<Vec<SlotNumber>, Exit> {
        // A freshly started engine has to find its devices first.
        let until = Instant::now() + if self.started.is_some() { DEVICES } else { Duration::ZERO };
        let wanted = |slot: u8| SlotNumber::new(slot);
        let there = |snapshot: &Snapshot| {
            let used: Vec<SlotNumber> = snapshot.slots.iter().map(|row| row.number).collect();
            let all = args.slots.iter().filter_map(|slot| wanted(*slot)).all(|slot| used.contains(&slot));
            (all && !used.is_empty()).then_some(used)
        };
        let used: Vec<SlotNumber> = match self.asked.wait_until(until, there)? {
            Some(used) => used,
            None => self.asked.wait(|snapshot| Some(snapshot.slots.iter().map(|row| row.number).collect()))?,
        };
        if let Some(profile) = &args.profile {
            let known = |snapshot: &Snapshot| Some(snapshot.profiles.contains(profile));
            if !self.asked.wait(known)? {
                return Err(refuse(format!("there is no profile named {profile}")));
            }
        }
        if used.is_empty() {
            return Err(refuse(
                "no slot is in use: place a device first (placid-mantle place DEVICE, or on the screen)",
            ));
        }
        let wanted = args.slots.iter().map(|number| {
            let slot = SlotNumber::new(*number)
                .ok_or_else(|| refuse(format!("there is no slot {number}: slots are 1 to 8")))?;
            match used.contains(&slot) {
                true => Ok(slot),
                false => Err(refuse(format!(
                    "{slot} is empty: place a device there first (placid-mantle place DEVICE --slot {number})"
                ))),
            }
        });
        let wanted = wanted.collect::<Result<Vec<_>, _>>()?;
        Ok(if wanted.is_empty() { used } else { wanted })
    }

    /// Waits until the slots' pads are there, of the right kind, and have been seen.
    fn wait_for_pads(&self, slots: &[SlotNumber], rule: &GameRule) -> Result<Seen, Exit> {
        self.asked.order(Wish::Watch(Watch { sight: true, ..Watch::default() }));
        let until = Instant::now() + PADS;
        let is_made = |row: &SlotRow| row.is_live() || !row.kind.model().is_made();
        let as_wanted = |row: &SlotRow, known: &[String]| {
            rule.of_slot(row.number).is_none_or(|own| {
                // If something is impossible, the engine says so and nobody waits.
                let by = own.profile.as_ref().is_none_or(|own| *own == row.profile || !known.contains(own));
                by && own.kind.as_ref().is_none_or(|kind| kind.name() == row.kind.name())
            })
        };
        let mut last = None;
        let found = self.asked.wait_until(until, |snapshot| {
            let rows = snapshot.slots.iter().filter(|row| slots.contains(&row.number));
            let seen = snapshot.sight.as_deref().filter(|view| !view.outdated);
            // While another game is running, this one's wishes do not count.
            let game = seen.and_then(|view| view.game.as_ref());
            let other = game.filter(|game| game.pid != process::id());
            // What is impossible is reported, but never keeps anybody from playing.
            let refused = game.filter(|_| other.is_none()).map_or(&[][..], |game| &game.refused);
            let given_up = |row: &SlotRow| refused.iter().any(|(slot, _)| *slot == row.number);
            let as_it_can = |row: &SlotRow| other.is_some() || given_up(row) || as_wanted(row, &snapshot.profiles);
            let ready = |row: &&SlotRow| is_made(row) && as_it_can(row);
            let all = rows.clone().count() == slots.len() && rows.clone().all(|row| ready(&row));
            last = rows.clone().find(|row| !ready(row)).map(|row| row.sentence.text.clone());
            let view = seen.filter(|_| all)?.clone();
            let kinds = rows.map(|row| row.kind.clone()).collect();
            let mut lines = lines(snapshot, &view, slots);
            lines.extend(refused.iter().map(|(slot, why)| format!("{slot}: the rule cannot be applied: {why}")));
            lines.extend(other.map(|game| format!("{}: this game's rule is not applied", game.words)));
            Some(Seen { lines, kinds, view })
        })?;
        found.ok_or_else(|| {
            let why = last.unwrap_or_else(|| "it could not be determined what a game sees".into());
            say_error!("placid-mantle: the game was not started, because its pads are missing: {why}");
            Exit::NoPads
        })
    }
}

impl Drop for PlayEngine {
    fn drop(&mut self) {
        if self.started.is_some() {
            self.asked.order(Wish::Stop);
            // The end of the engine is the end of its last pad.
            let until = Instant::now() + PADS;
            while self.started.is_some_and(|pid| !children::has_ended(pid)) && Instant::now() < until {
                std::thread::sleep(Duration::from_millis(20));
            }
        }
    }
}

/// The entry of the game's list that each slot is.
fn lines(snapshot: &Snapshot, view: &SightView, slots: &[SlotNumber]) -> Vec<String> {
    let of = |slot: &SlotNumber| {
        let row = view.rows.iter().find(|row| row.whose == Whose::Pad(*slot))?;
        let number = row.number?;
        let kind = snapshot.slots.iter().find(|own| own.number == *slot)?.kind.is_shaped();
        let kind = if kind { "joystick" } else { "controller" };
        Some(format!("{slot} is {kind} {number} in the game: {}", row.name))
    };
    slots.iter().filter_map(of).collect()
}

/// What applies while the game runs: its rule, and what the command line asks for.
fn rule(args: &PlayArgs, slots: &[SlotNumber]) -> (GameRule, Option<RunningProgram>) {
    let program = args.command.first().map(|command| {
        let text = |one: &OsString| one.to_string_lossy().into_owned();
        let path = found(command).map_or_else(|| text(command), |path| path.display().to_string());
        let name = Path::new(command).file_name().unwrap_or(command).to_string_lossy().into_owned();
        let arguments = args.command.iter().map(text).collect();
        RunningProgram { names: vec![name], path, arguments, ..RunningProgram::default() }
    });
    let directory = mantle_files::config_directory();
    let (rules, faults) =
        directory.map(|own| mantle_files::games::open(&own.join(mantle_files::games::FILE))).unwrap_or_default();
    for fault in &faults {
        say_error!("placid-mantle: {fault}");
    }
    let meant = |rule: &GameRule| program.as_ref().is_some_and(|program| rule.is_for(program));
    let mut rule = rules.into_iter().find(meant).unwrap_or_default();
    if let Some(profile) = &args.profile {
        for slot in slots.iter().copied() {
            match rule.slots.iter_mut().find(|own| own.slot == slot) {
                Some(own) => own.profile = Some(profile.clone()),
                None => rule.slots.push(SlotRule { profile: Some(profile.clone()), ..SlotRule::of(slot) }),
            }
        }
    }
    (rule, program)
}

/// Finds the command the way a shell would.
fn found(command: &OsStr) -> Option<std::path::PathBuf> {
    if Path::new(command).components().count() > 1 {
        return std::fs::canonicalize(command).ok();
    }
    let path = std::env::var_os("PATH")?;
    let all = std::env::split_paths(&path).map(|directory| directory.join(command));
    all.filter(|path| path.is_file()).find_map(|path| std::fs::canonicalize(path).ok())
}

/// Tells the common game library how our pads are laid out, and which devices it must ignore.
fn variables(view: &SightView, kinds: &[PadKind], private: bool) -> Vec<(&'static str, String)> {
    let mut known = BTreeSet::new();
    for kind in kinds {
        let model = kind.model();
        if model.is_made() && model.has(PadTarget::South) && !kind.is_shaped() && *kind != PadKind::Motion {
            known.insert(mapping::line(&model, "Placid Mantle pad"));
        }
    }
    // A device with the ids of one of our pads cannot be told from it here.
    let pads: BTreeSet<(u16, u16)> =
        view.rows.iter().filter(|row| matches!(row.whose, Whose::Pad(_))).map(|row| row.ids).collect();
    let devices = view.rows.iter().filter(|row| matches!(row.whose, Whose::Device(..)));
    let ignored: BTreeSet<(u16, u16)> = devices.map(|row| row.ids).filter(|ids| !pads.contains(ids)).collect();
    let ignored: Vec<String> =
        ignored.into_iter().map(|(vendor, product)| format!("0x{vendor:04x}/0x{product:04x}")).collect();
    let mut all = Vec::new();
    // Variables that the person has set are kept.
    let beside = |name: &str, own: String, between: &str| match std::env::var(name) {
        Ok(before) if !before.trim().is_empty() => format!("{before}{between}{own}"),
        _ => own,
    };
    if !known.is_empty() {
        let lines = known.into_iter().collect::<Vec<_>>().join("\n");
        all.push((MAPPINGS, beside(MAPPINGS, lines, "\n")));
    }
    if !ignored.is_empty() {
        all.push((IGNORED, beside(IGNORED, ignored.join(","), ",")));
    }
    if private {
        all.push((WITHOUT_UDEV, "1".into()));
    }
    all
}

/// A value quoted for a shell.
fn quoted(value: &str) -> String {
    format!("'{}'", value.replace('\'', "'\\''"))
}

/// Runs the game in its own `/dev`, which always shows exactly our pads.
fn in_private(
    command: &OsStr,
    arguments: &[OsString],
    variables: &[(&'static str, String)],
    own: &[u32],
) -> Result<u8, Exit> {
    let failed = |error: std::io::Error| {
        say_error!("placid-mantle: a private /dev cannot be made for the game: {error}");
        Exit::Failed
    };
    let (mut inside, theirs) = Inside::pair().map_err(failed)?;
    let mut shown = private_dev::shown();
    inside.begin(std::io::stdin(), &shown).map_err(failed)?;
    std::thread::spawn(move || {
        loop {
            std::thread::sleep(LOOK);
            let now = private_dev::shown();
            if now != shown {
                if inside.show(&now).is_err() {
                    return;
                }
                shown = now;
            }
        }
    });
    let mut stays = process::Command::new("/proc/self/exe");
    stays.arg("in-private").arg("--").arg(command).args(arguments).stdin(theirs);
    stays.envs(variables.iter().map(|(name, value)| (name, value)));
    children::run(&mut stays, own).map_err(|error| not_started(command, &error))
}

/// The process that stays in the game's own `/dev`.
pub fn stay(command: &[OsString]) -> process::ExitCode {
    let Some((program, arguments)) = command.split_first() else { return Exit::Usage.into() };
    match private_dev::stay(program, arguments) {
        Ok(code) => process::ExitCode::from(code),
        Err(fault) if fault.is_forbidden() => {
            say_error!(
                "placid-mantle: ordinary accounts may not create namespaces on this machine ({fault}), so the game was not started. Use --shared, or have an administrator allow it with kernel.unprivileged_userns_clone, user.max_user_namespaces or an AppArmor rule"
            );
            Exit::Failed.into()
        }
        Err(fault) => {
            say_error!("placid-mantle: the game was not started: {fault}");
            Exit::Failed.into()
        }
    }
}
