//! The program on a real kernel: few boots, all cases, each named here; a case that the guest does not report fails. The guest is this same binary,
//! started inside the VM with `--guest`.

mod apart_cases;
mod back_cases;
mod bench;
mod bind_cases;
mod case_cases;
mod cover_cases;
mod driven_cases;
mod flight_cases;
mod heap_cases;
mod helper_cases;
mod home_cases;
mod input_cases;
mod keys_cases;
mod load_cases;
mod loss_cases;
mod motion_cases;
mod play_cases;
mod presses;
mod priority_cases;
mod private_cases;
mod radio_cases;
mod read_cases;
mod seat_cases;
mod sight_cases;
mod sleep_cases;
mod stay_cases;

use mantle_lab::vm::Init;
use sleep_cases::SLEEP;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// A case: its name and what it does in the guest.
type Case = (&'static str, fn(&bench::Bench) -> Result<(), String>);

const PLAY_CASES: &[Case] = &[
    ("harbour panel: every control does what is written", play_cases::harbour_panel),
    ("quay pad: every control does what is written", play_cases::quay_pad),
    ("kestrel puck: every control does what is written", play_cases::kestrel_puck),
    ("pilot yoke: every control does what is written", play_cases::pilot_yoke),
    ("jetty box: two pads behind one plug", play_cases::jetty_box),
    ("a planted swap of two bindings is found", play_cases::planted_swap),
    ("plug, unplug, plug again: the game keeps its controller", play_cases::replug),
    ("four devices at once: slots in order", play_cases::four_at_once),
    ("a game's rumble call returns promptly", play_cases::rumble),
    ("two parts of one player: every press and every release", loss_cases::two_parts),
    ("two report ids are two pads, with hats that count from 1", loss_cases::two_ids),
    ("a device that says only what changes: its first press, push and pull", loss_cases::silent),
    ("unplugged again and again with a button held: a game loses nothing", stay_cases::unplugged),
    ("restarted, plugged in in any order: the same slots, the same players", stay_cases::restarts),
    ("by radio, by cable, by radio, with a button held: one player, no press", stay_cases::links),
    ("an engine that is stopped goes on, and one that is killed starts again", stay_cases::stopped_and_killed),
    ("real-time priority: one thread has it, and none that never waits keeps it", priority_cases::real_time),
    ("settings are read again whenever they are saved", stay_cases::settings),
    ("a rumble of 200 ms ends, and of two at once each by itself", loss_cases::rumble_ends),
    ("a device is found by its motor, and rumbles as strongly as it shall", back_cases::chosen),
    ("effects of all kinds: waves, changed, stopped, with less gain, of a game that dies", back_cases::effects),
    ("a device that takes five seconds over a report keeps nobody else waiting", back_cases::blocked),
    ("one serial number, two devices: nobody plays as the other", loss_cases::equal_serials),
    (LOAD, load_cases::load),
    (HEAP, heap_cases::nothing_with_a_report),
    ("the smallest flight stick: X, Y, two buttons", flight_cases::smallest),
    ("a flight stick of 40 buttons, 8 axes, 2 hats, beside a common pad", flight_cases::forty),
    ("the largest flight stick: 56 buttons, 11 axes, 4 hats", flight_cases::largest),
    ("a pad file of 50 buttons, 9 axes, 4 hats, with its own name and ids", flight_cases::own_pad),
    ("keys alone make no pad", flight_cases::keys_alone),
    ("two kinds at once, and one becomes another while it plays", flight_cases::changed),
    ("the same frames as in the simulation", read_cases::same_frames),
    ("a device that says nothing of itself plays by its sheet", read_cases::by_its_sheet),
    ("a start-up that is refused is said", read_cases::start_up_refused),
    ("a start-up that is not answered is said", read_cases::start_up_unanswered),
    ("a device is woken for its recording, written to and asked", read_cases::woken_and_written),
    ("a sheet that is saved while it runs is used at once", read_cases::saved_meanwhile),
    ("a binding is pressed for, saved, edited by hand and taken back", bind_cases::bound),
    ("recorded from hidraw, replayed: the same frames", read_cases::recorded),
    ("cases of ten devices, opened: the same frames and the same sentences", case_cases::ten),
    ("an input node as a source: smallest steps, held, recorded", input_cases::pad),
    ("mouse and keyboard as sources: unused keys reach the system", input_cases::mouse_and_keyboard),
    ("the only keyboard is a HID device: what plays is swallowed, all else goes on", input_cases::only_keyboard),
    ("events that are lost: what stands is read again", input_cases::lost),
    ("the let-go chord with everything held", input_cases::let_go),
    ("sight agrees with a game library, udev and the kernel, in drawn situations", sight_cases::drawn),
    ("a mouse and a keyboard play pads that a game library reads", keys_cases::play),
    ("a device types: keys, buttons, pointer, wheel", keys_cases::types),
    ("nothing is typed into our own screen", keys_cases::screen),
    ("a second engine is noticed, also of another account", play_cases::second_engine),
    ("a real USB device with two interfaces is one device", play_cases::gadget),
    ("ending leaves nothing behind", play_cases::nothing_left),
    ("without uinput: cause, remedy, exit 3", play_cases::no_uinput),
];

/// What is done to the machine, and pads that the kernel's drivers serve: in a machine of their own at the same time.
const MACHINE_CASES: &[Case] = &[
    ("setup tags what was named, and nothing else", home_cases::setup),
    ("a damaged slots file is left alone", home_cases::damaged_slots),
    ("a read-only home costs the memory of slots only", home_cases::read_only_home),
    ("a full disk costs nothing that was saved before", home_cases::full_disk),
    ("the screen over real devices, without uinput and with it", home_cases::screen),
    ("covered as root: games lose it, its twin stays, rights come back", cover_cases::as_root),
    ("a mouse that plays is covered while there is another one", cover_cases::mice),
    (
        "the only mouse, agreed to: held and never hidden, given back by its own chord and whatever ends its engine",
        cover_cases::only_mouse,
    ),
    ("a controller that types: covered with its keys while it plays, given back with a pause", cover_cases::sides),
    ("an ordinary account: held, and said so", cover_cases::ordinary_account),
    ("a game with a /dev of its own: the pads alone, also those that come later", private_cases::plays),
    (
        "engine, guard or both killed at each step of hiding and giving back: everything as before",
        cover_cases::killed_everywhere,
    ),
    ("killed while covered, plugged in again: uncover --all frees it", cover_cases::killed_and_replugged),
    ("a pad of several nodes by uinput: each is told what is its own", motion_cases::by_uinput),
    // These make the kernel load modules by itself, and therefore come last.
    ("a motion pad by the kernel's driver and a game library: senses, fingers, what comes back", motion_cases::senses),
    ("two motion pads at once", motion_cases::two),
    ("an event node that is an accelerometer moves a motion pad", driven_cases::accelerometer),
    ("a common pad that no driver shakes as a device of its own is made the other way", apart_cases::not_told),
    ("a common pad as a device of its own, beside one of the usual ones: every control, rumble", apart_cases::told),
    ("several pads in one browser: which it keeps, every control, rumble on the right one", apart_cases::browser),
    ("lamps of a device that setup was told of are lit by an ordinary account", driven_cases::lamps_are_open),
    ("a device whose driver shakes and lights it, beside a pad of ours with its ids", driven_cases::comes_back),
];

/// Those that need the system's own init: a second boot.
const SEAT_CASES: &[Case] = &[
    ("an ordinary account, from login on: session, switch, kill, removal", seat_cases::from_login_on),
    ("two accounts at one machine: whose session is in front plays", seat_cases::two_accounts),
    ("what stands in the way of an account is found, mended for it, and gone", helper_cases::ready),
    ("a unit that is killed whole: the guard outlives it, and gives back what was hidden", helper_cases::outlives),
    (HELPER, helper_cases::hides),
];

/// What needs a pad by radio, and the air to it: a boot of its own.
const RADIO_CASES: &[Case] = &[(RADIO, radio_cases::real)];

/// The one after which nothing else can be done: a third boot.
const SLEEP_CASES: &[Case] = &[(SLEEP, |_| Err("it is played in memory".into()))];

/// All of them.
fn cases() -> impl Iterator<Item = &'static Case> {
    PLAY_CASES.iter().chain(MACHINE_CASES).chain(SEAT_CASES).chain(RADIO_CASES).chain(SLEEP_CASES)
}

/// The cases that use the shipped program.
const LOAD: &str = "four devices as fast as they can, beside a bare forwarder";
const HEAP: &str = "nothing is allocated with a report";
/// The case that installs the helper, a program of its own.
const HELPER: &str = "an ordinary account, by the helper: hidden, handed out, refused, and over when who asked is gone";

/// The case with a pad by radio, which is software on the host.
const RADIO: &str = "a pad by radio: found, paired in each way, lost and back, forgotten; its button reaches a game";

/// What is booted, with how many seconds it may take in all, far more than it needs. Both rows run at the same time: an emulated machine keeps one
/// processor busy.
type Boot = (Init, &'static [Case], u32);
const BOOTS: [&[Boot]; 2] = [
    &[(Init::Bare, PLAY_CASES, 2400), (Init::Bare, RADIO_CASES, 900)],
    &[(Init::Bare, MACHINE_CASES, 2400), (Init::Systemd, SEAT_CASES, 900), (Init::Bare, SLEEP_CASES, 300)],
];

fn kernel() -> PathBuf {
    std::env::var_os("MANTLE_KERNEL").map_or_else(|| target().join("lab/kernel"), PathBuf::from)
}

/// Where the software of the pad by radio is installed.
fn radio_site() -> PathBuf {
    std::env::var_os("MANTLE_RADIO_SITE").map_or_else(|| target().join("lab/radio"), PathBuf::from)
}

fn target() -> PathBuf {
    Path::new(env!("CARGO_TARGET_TMPDIR")).parent().map(Path::to_owned).unwrap_or_default()
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn main() -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    if arguments.iter().any(|argument| argument == "--list") {
        for (name, _) in cases() {
            println!("{name}: test");
        }
        return ExitCode::SUCCESS;
    }
    if arguments.first().is_some_and(|first| first == "--forward") {
        return load_cases::forward(&arguments[1..]).map_or(ExitCode::FAILURE, |()| ExitCode::SUCCESS);
    }
    if arguments.first().is_some_and(|first| first == "--ask-helper") {
        return helper_cases::ask(&arguments[1..]);
    }
    if arguments.first().is_some_and(|first| first == "--sleep") {
        return sleep_cases::in_memory();
    }
    if arguments.first().is_some_and(|first| first == "--guest") {
        return guest(&arguments[1..]);
    }
    let filters: Vec<&String> = arguments.iter().filter(|argument| !argument.starts_with('-')).collect();
    // It needs other software: without it the case can only be left out if nobody has asked for it, and no check is being made.
    let asked = filters.iter().any(|filter| RADIO.contains(filter.as_str()));
    let with_radio = asked || std::env::var_os("CI").is_some() || radio_site().join("bumble").is_dir();
    let wanted: Vec<&Case> = cases()
        .filter(|(name, _)| filters.is_empty() || filters.iter().any(|filter| name.contains(filter.as_str())))
        .filter(|(name, _)| *name != RADIO || with_radio)
        .collect();
    if !with_radio {
        println!("NOT RUN: {RADIO} (its software is not installed: ./check does that)");
    }
    println!("\nrunning {} tests", wanted.len());
    if let Ok(why) = std::env::var("MANTLE_WITHOUT_KERNEL") {
        println!("kernel suite NOT RUN: {why}");
        println!("\ntest result: ok. 0 passed; 0 failed; {} ignored; 0 measured; 0 filtered out", wanted.len());
        return ExitCode::SUCCESS;
    }
    if wanted.is_empty() {
        println!("\ntest result: ok. 0 passed; 0 failed; 0 ignored; 0 measured; {} filtered out", cases().count());
        return ExitCode::SUCCESS;
    }
    match host(&wanted) {
        Ok(()) => ExitCode::SUCCESS,
        Err(why) => {
            println!("{why}");
            ExitCode::FAILURE
        }
    }
}

fn host(wanted: &[&Case]) -> Result<(), String> {
    let kernel = kernel();
    mantle_lab::vm::ready(&kernel)
        .map_err(|why| format!("kernel suite NOT RUN: {why} (./check fetches what it needs)"))?;
    if wanted.iter().any(|(name, _)| [LOAD, HEAP].contains(name)) {
        let made = std::process::Command::new(root().join("ship")).output().map_err(|error| error.to_string())?;
        if !made.status.success() {
            return Err(format!("./ship failed:\n{}", String::from_utf8_lossy(&made.stderr)));
        }
    }
    if wanted.iter().any(|(name, _)| *name == HELPER) {
        let mut build = std::process::Command::new(env!("CARGO"));
        build.args(["build", "--locked", "--package", "mantle-helper", "--target-dir"]).arg(target());
        let made = build.current_dir(root()).output().map_err(|error| error.to_string())?;
        if !made.status.success() {
            return Err(format!("the helper cannot be built:\n{}", String::from_utf8_lossy(&made.stderr)));
        }
    }
    let reader = mantle_lab::Reader::build(&target().join("lab"))?;
    let began = std::time::Instant::now();
    let (said, errors) = std::thread::scope(|scope| {
        let rows = BOOTS.map(|row| scope.spawn(|| play(&kernel, &reader, row, wanted)));
        let mut all = (String::new(), String::new());
        for row in rows {
            let (said, errors) = row.join().map_err(|_| "a boot panicked")??;
            all.0 += &said;
            all.1 += &errors;
        }
        Ok::<_, String>(all)
    })?;
    let mut passed = 0;
    let mut failed = Vec::new();
    for note in said.lines().filter_map(|line| line.strip_prefix("NOTE ")) {
        println!("{note}");
    }
    for (name, _) in wanted {
        let line = said.lines().find_map(|line| line.strip_prefix("CASE ")?.strip_prefix(*name)?.strip_prefix(" = "));
        let took = said.lines().find_map(|line| line.strip_prefix("TOOK ")?.strip_prefix(*name)?.strip_prefix(" = "));
        let verdict = line.unwrap_or("the guest reported nothing");
        if verdict == "ok" {
            passed += 1;
            println!("test {name} ... ok{}", took.map(|took| format!(" ({took} s)")).unwrap_or_default());
        } else {
            println!("test {name} ... FAILED");
            failed.push(format!("---- {name}\n{}", verdict.replace("\\n", "\n")));
        }
    }
    let result = if failed.is_empty() { "ok" } else { "FAILED" };
    let filtered = cases().count() - wanted.len();
    if !failed.is_empty() {
        println!("\nfailures:\n\n{}\n", failed.join("\n\n"));
        println!("{errors}");
    }
    let count = failed.len();
    println!(
        "\ntest result: {result}. {passed} passed; {count} failed; 0 ignored; 0 measured; {filtered} filtered out; finished in {:.2}s\n",
        began.elapsed().as_secs_f64()
    );
    if failed.is_empty() { Ok(()) } else { Err(format!("{count} kernel cases failed")) }
}

/// Boots one after the other, and runs there what is wanted; returns the output, and the errors.
fn play(kernel: &Path, reader: &Path, row: &[Boot], wanted: &[&Case]) -> Result<(String, String), String> {
    let me = std::env::current_exe().map_err(|error| error.to_string())?.display().to_string();
    let reader = reader.display().to_string();
    let (mut said, mut errors) = (String::new(), String::new());
    for (init, cases, limit) in row {
        let own = wanted.iter().map(|(name, _)| *name).filter(|name| cases.iter().any(|(own, _)| own == name));
        let command: Vec<&str> = [me.as_str(), "--guest", reader.as_str()].into_iter().chain(own).collect();
        if command.len() == 3 {
            continue;
        }
        let by_radio = cases.iter().any(|(name, _)| *name == RADIO);
        let peer = match by_radio.then(|| mantle_lab::RadioPeer::start(&radio_site())).transpose() {
            Ok(peer) => peer,
            // Its case fails, and what the other boots say is still worth reading.
            Err(why) => {
                errors += &format!("{why}\n");
                continue;
            }
        };
        let ports = peer.as_ref().map(mantle_lab::RadioPeer::ports).unwrap_or_default();
        // Several times as much is done there.
        let limit = if std::env::var_os("MANTLE_LONG").is_some() { limit * 6 } else { *limit };
        let output = mantle_lab::vm::boot(kernel, *init, limit, &ports, &command).map_err(|error| error.to_string())?;
        said += &String::from_utf8_lossy(&output.stdout);
        errors += &String::from_utf8_lossy(&output.stderr);
    }
    Ok((said, errors))
}

fn guest(arguments: &[String]) -> ExitCode {
    let Some((reader, names)) = arguments.split_first() else { return ExitCode::FAILURE };
    if names == [SLEEP] {
        return sleep_cases::guest();
    }
    let bench = bench::Bench::new(Path::new(reader));
    for (name, case) in cases().filter(|(name, _)| names.iter().any(|wanted| wanted == name)) {
        let began = std::time::Instant::now();
        let result = std::panic::catch_unwind(|| case(&bench)).unwrap_or_else(|_| Err("it panicked".into()));
        println!("TOOK {name} = {:.0}", began.elapsed().as_secs_f64());
        match result {
            Ok(()) => println!("CASE {name} = ok"),
            Err(why) => println!("CASE {name} = {}", why.replace('\n', "\\n")),
        }
    }
    ExitCode::SUCCESS
}
