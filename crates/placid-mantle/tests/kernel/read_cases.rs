//! Reports through the real kernel: the same frames as in the simulation, recorded and replayed.

use crate::bench::{self, Bench};
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Settings, Table};
use mantle_core::time::Micros;
use mantle_files::shipped;
use mantle_lab::{Lines, StandIn};
use mantle_sim::{Manner, Pace, ReplayWorld, SimWorld, Taken, TakingDown};
use std::time::Duration;

/// Frames as the log prints them, without their times.
#[derive(Default)]
struct Frames(Vec<String>);

impl mantle_engine::Observer for Frames {
    fn handle_frame(&mut self, _: Micros, slot: SlotNumber, events: &mantle_core::pad::Events) {
        let mut line = slot.to_string();
        for (kind, code, value) in events.iter() {
            match kind {
                1 => line.push_str(&format!(" key:{code:#05x}={value}")),
                3 => line.push_str(&format!(" abs:{code:#04x}={value}")),
                _ => {}
            }
        }
        self.0.push(line);
    }
}

/// A device's reports during five seconds of the simulation, and the frames that they give there.
fn simulated(device: &str) -> Result<(Vec<Vec<u8>>, Vec<String>), String> {
    let (reports, frames) = simulated_for(device, Micros::seconds(5))?;
    if frames.len() < 100 {
        return Err("the scene moves too little to prove anything".into());
    }
    Ok((reports, frames))
}

/// The same during another time.
pub fn simulated_for(device: &str, until: Micros) -> Result<(Vec<Vec<u8>>, Vec<String>), String> {
    let text = format!("version = 1\ntitle = \"one pad\"\n[[device]]\nfile = \"{device}\"\nport = \"1-3\"\n");
    let scene = mantle_files::SceneFile::parse("one", &text).map_err(|fault| fault.to_string())?;
    let pace = Pace::Virtual { until };
    let world = SimWorld::new(&scene, pace, None).map_err(|fault| fault.to_string())?;
    let mut table = Table::new(world.settings());
    let mut world = TakingDown::new(world);
    let mut expected = Frames::default();
    mantle_engine::run(&mut world, &mut table, &mut expected);
    let mut replayed = Frames::default();
    let settings = Settings { cover: true, sheets: shipped::sheets(), ..Settings::default() };
    mantle_engine::run(&mut ReplayWorld::new(world.taken.clone()), &mut Table::new(settings), &mut replayed);
    if replayed.0 != expected.0 {
        return Err("the replay has other frames than the simulation".into());
    }
    let reports = world.taken.into_iter().filter_map(|taken| match taken {
        Taken::Report(_, _, report) => Some(report.to_vec()),
        _ => None,
    });
    Ok((reports.collect(), expected.0))
}

/// The frames of slot 1 among lines, without their times.
pub fn frames_of(lines: &[String]) -> Vec<String> {
    let lines = lines.iter().filter_map(|line| line.split_once(' ')).map(|(_, rest)| rest);
    let frames = lines.filter(|rest| rest.starts_with("slot 1 ") && (rest.contains("key:") || rest.contains("abs:")));
    frames.map(str::to_owned).collect()
}

pub fn equal(expected: &[String], got: &[String], whose: &str) -> Result<(), String> {
    if let Some(at) = expected.iter().zip(got).position(|(a, b)| a != b) {
        return Err(format!("frame {at}: the simulation has `{}`, {whose} `{}`", expected[at], got[at]));
    }
    if expected.len() != got.len() {
        return Err(format!("the simulation has {} frames, {whose} {}", expected.len(), got.len()));
    }
    Ok(())
}

/// An engine that plays a device which is there and is listened to.
fn playing(bench: &Bench, device: &str) -> Result<(StandIn, Lines), String> {
    let file = shipped::device(device).map_err(|fault| fault.to_string())?;
    let pad = StandIn::plug(&file, "lab-1", Some("LAB-SERIAL"))?;
    let mut engine = bench.engine(&bench.home())?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the cover", |line| line.contains("is covered"))?;
    mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    Ok((pad, engine))
}

/// Sends all reports; returns the frames that the engine gives.
fn send(pad: &mut StandIn, engine: &mut Lines, reports: &[Vec<u8>]) -> Result<Vec<String>, String> {
    send_beside(pad, engine, reports, None)
}

/// The same, beside another reader: a process that sleeps again only once it has read everything.
fn send_beside(
    pad: &mut StandIn,
    engine: &mut Lines,
    reports: &[Vec<u8>],
    other: Option<u32>,
) -> Result<Vec<String>, String> {
    let mut got = Vec::new();
    for (sent, report) in reports.iter().enumerate() {
        pad.send(0, report)?;
        // hidraw keeps 64 reports for a late reader: every 16 we let it catch up.
        if sent % 16 == 0 {
            got.extend(engine.until_quiet(Duration::from_millis(40)));
            if let Some(pid) = other {
                mantle_lab::wait_for("the other reader to have read", || {
                    let stat = std::fs::read_to_string(format!("/proc/{pid}/stat")).ok()?;
                    stat.rsplit_once(") ").filter(|(_, rest)| rest.starts_with('S')).map(drop)
                })?;
            }
        }
    }
    got.extend(engine.until_quiet(Duration::from_secs(2)));
    Ok(frames_of(&got))
}

/// The scene's reports, replayed, and sent through the real kernel, give the frames that the simulation gives.
pub fn same_frames(bench: &Bench) -> Result<(), String> {
    let (reports, expected) = simulated("quay-pad")?;
    let (mut pad, mut engine) = playing(bench, "quay-pad")?;
    equal(&expected, &send(&mut pad, &mut engine, &reports)?, "the kernel")?;
    bench::end(engine)
}

/// A device that describes nothing plays by its sheet; a report with a wrong checksum has no effect.
pub fn by_its_sheet(bench: &Bench) -> Result<(), String> {
    let (reports, expected) = simulated("cellar-pad")?;
    let (mut pad, mut engine) = playing(bench, "cellar-pad")?;
    mantle_lab::wait_for("the start-up to be written and answered", || pad.is_awake(0).then_some(()))?;
    // Covering binds the driver again, and then it is started up again.
    let writes = pad.written(0);
    let wanted = [bench::bytes("02 01 00 00 00 00 00 00"), bench::bytes("04 01 00 00")];
    if writes.is_empty() || writes.iter().zip(wanted.iter().cycle()).any(|(written, wanted)| written != wanted) {
        return Err(format!("these were written: {writes:02x?}"));
    }
    let mut broken = reports[reports.len() / 2].clone();
    broken[2] ^= 0x01;
    pad.send(0, &broken)?;
    let got = send(&mut pad, &mut engine, &reports)?;
    if !engine.said.iter().any(|line| line.contains("its checksum is wrong")) {
        return Err("nobody says that the checksum is wrong".into());
    }
    equal(&expected, &got, "the kernel")?;
    // A game's rumble reaches the device, in its own words.
    let mut game = bench.game(None)?;
    game.added()?;
    game.lines.say("rumble")?;
    mantle_lab::wait_for("the rumble on the device", || {
        pad.written(0).iter().any(|bytes| bytes.starts_with(&[2, 2]) && bytes[2..4] != [0, 0]).then_some(())
    })?;
    bench::end(engine)
}

/// A start-up that is refused, or not answered, is reported with its step and its reason.
fn asleep(bench: &Bench, manner: Manner, why: &str) -> Result<(), String> {
    let file = shipped::device("cellar-pad").map_err(|fault| fault.to_string())?;
    let pad = StandIn::plug_as(&file, "lab-1", None, manner)?;
    let mut engine = bench.bare_engine(&bench.home())?;
    engine.wait(why, |line| line.contains("Cellar pad does not start up: start-up write ") && line.contains(why))?;
    engine.wait("the sentence", |line| line.contains("Slot 1 stops at Reports: Cellar pad does not start up"))?;
    if pad.is_awake(0) {
        return Err("it has started up".into());
    }
    bench::end(engine)
}

pub fn start_up_refused(bench: &Bench) -> Result<(), String> {
    asleep(bench, Manner::Refusing, "write 2 of 2 (feature report 04 01 00 00) was refused (EIO)")
}

pub fn start_up_unanswered(bench: &Bench) -> Result<(), String> {
    asleep(bench, Manner::Mute, "write 1 of 2 (output report 02 01 00 00 …) was not answered within 500 ms")
}

/// A sleeping device is woken for its recording; a report is sent to it byte for byte, and one is requested.
pub fn woken_and_written(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("cellar-pad").map_err(|fault| fault.to_string())?;
    let mut pad = StandIn::plug(&file, "lab-1", None)?;
    let home = bench.home();
    let output = home.join("cellar.hid").display().to_string();
    let mut recorder = Lines::start(&mut bench.command(&home, None, &["record", "1209:0a09", &output]))?;
    mantle_lab::wait_for("the start-up", || pad.is_awake(0).then_some(()))?;
    pad.send(0, &bench::bytes("01 00 ff 02 00 00 00 00 00 00 00 00 de ad be ef"))?;
    recorder.signal("INT");
    if !recorder.end()?.success() {
        return Err(format!("the recorder failed: {:?}", recorder.said));
    }
    let text = std::fs::read_to_string(&output).map_err(|error| error.to_string())?;
    if !text.contains("01 00 ff 02 00") {
        return Err(format!("the report is not in the recording:\n{text}"));
    }
    let run = |arguments: &[&str]| -> Result<(bool, String), String> {
        let output = bench.command(&home, None, arguments).output().map_err(|error| error.to_string())?;
        Ok((output.status.success(), String::from_utf8_lossy(&output.stderr).into_owned()))
    };
    if !run(&["send", "1209:0a09", "output", "02 09 07"])?.0 {
        return Err("sending failed".into());
    }
    mantle_lab::wait_for("the report on the device", || {
        pad.written(0).iter().any(|bytes| *bytes == bench::bytes("02 09 07")).then_some(())
    })?;
    // Of its fields: the first byte of its output report has the usage 0x22.
    if !run(&["send", "1209:0a09", "output", "--set", "ff00:0022=77"])?.0 {
        return Err("sending a field failed".into());
    }
    mantle_lab::wait_for("the field on the device", || {
        pad.written(0).iter().any(|bytes| bytes.starts_with(&[2, 77, 0])).then_some(())
    })?;
    let (well, said) = run(&["send", "1209:0a09", "output", "--set", "ff00:0022=300"])?;
    if well || !said.contains("300 is not within 0 to 255, the range of usage 0xff00:0022") {
        return Err(format!("a field that does not fit: {said}"));
    }
    // A stand-in answers no question: that is reported.
    let (well, said) = run(&["get", "1209:0a09", "4"])?;
    if well
        || !said.contains("1209:0a09 does not answer (getting a feature report of /dev/hidraw")
        || !said.contains("EIO)")
    {
        return Err(format!("a refused question: {said}"));
    }
    let (well, said) = run(&["get", "1209:0a09", "9"])?;
    if well || !said.contains("has no feature report 9; it has: 4") { Err(said) } else { Ok(()) }
}

/// A sheet that is saved while the program runs is used at once, and so is its absence.
pub fn saved_meanwhile(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    let mut pad = StandIn::plug(&file, "lab-1", Some("LAB-SERIAL"))?;
    let home = bench.home();
    std::fs::create_dir_all(home.join(".config/placid-mantle")).map_err(|error| error.to_string())?;
    let mut engine = bench.bare_engine(&home)?;
    bench::pad(&mut engine, 1)?;
    let sheets = home.join(".config/placid-mantle/sheets");
    std::fs::create_dir_all(&sheets).map_err(|error| error.to_string())?;
    let text = "version = 1\nname = \"Turned pad\"\n[match]\nvendor = 0x1209\nproduct = 0x0a02\n\
                [[control]]\nname = \"one\"\nkind = \"button\"\nusage = \"button 1\"\nplays = \"East\"\n";
    std::fs::write(sheets.join("turned.sheet.toml"), text).map_err(|error| error.to_string())?;
    engine.wait("the sheet", |line| line.contains("Quay pad is now read by the sheet Turned pad"))?;
    // The node is closed and opened again for it, and nothing outside says when, so it is pressed until it is seen.
    mantle_lab::wait_for("East", || {
        for report in ["01 00 80 80 80 80 80 00 00", "01 01 80 80 80 80 80 00 00"] {
            pad.send(0, &bench::bytes(report)).ok()?;
        }
        let said = engine.until_quiet(Duration::from_millis(100));
        said.iter().any(|line| line.contains("slot 1 key:0x131=1")).then_some(())
    })?;
    std::fs::remove_file(sheets.join("turned.sheet.toml")).map_err(|error| error.to_string())?;
    engine.wait("its absence", |line| line.contains("Quay pad is now read by its own description"))?;
    bench::end(engine)
}

/// What is recorded from hidraw during play gives the same frames again, with and without its comment lines.
pub fn recorded(bench: &Bench) -> Result<(), String> {
    let (reports, expected) = simulated("quay-pad")?;
    let (mut pad, mut engine) = playing(bench, "quay-pad")?;
    let home = bench.home();
    let file = home.join("quay.hid");
    let path = file.display().to_string();
    let mut recorder = Lines::start(&mut bench.command(&home, None, &["record", "1209:0a02", &path]))?;
    recorder.wait("the recorder to listen", |line| line.contains("Recording Quay pad"))?;
    let pid = Some(recorder.pid());
    equal(&expected, &send_beside(&mut pad, &mut engine, &reports, pid)?, "the kernel")?;
    recorder.signal("INT");
    let status = recorder.end()?;
    let counted = format!("{} reports.", reports.len());
    if !status.success() || !recorder.said.contains(&counted) {
        return Err(format!("{counted} were to be recorded: {status}: {:?}", recorder.said));
    }
    bench::end(engine)?;
    let text = std::fs::read_to_string(&file).map_err(|error| error.to_string())?;
    if text.contains("LAB-SERIAL") || text.contains("lab-1") {
        return Err("the serial number or the path is in the recording without being asked for".into());
    }
    let plain: String = text.lines().filter(|line| !line.starts_with('#')).map(|line| format!("{line}\n")).collect();
    let bare = home.join("plain.hid");
    std::fs::write(&bare, plain).map_err(|error| error.to_string())?;
    for file in [path, bare.display().to_string()] {
        let output = bench.command(&home, None, &["replay", &file, "--headless"]).output();
        let output = output.map_err(|error| error.to_string())?;
        let lines: Vec<String> = String::from_utf8_lossy(&output.stdout).lines().map(str::to_owned).collect();
        equal(&expected, &frames_of(&lines), "the replay")?;
    }
    // An existing file is not overwritten.
    let mut again = bench.command(&home, None, &["record", "1209:0a02", &bare.display().to_string()]);
    let output = again.output().map_err(|error| error.to_string())?;
    if output.status.success() || !String::from_utf8_lossy(&output.stderr).contains("plain.hid") {
        return Err("a recording was written over".into());
    }
    Ok(())
}
