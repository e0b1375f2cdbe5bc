//! Feedback to a device: found by its motor, and rumbling as strongly as the person wants.

use crate::bench::{self, Bench};
use mantle_files::{DeviceFile, shipped};
use mantle_lab::{Lines, RawPad, Shaker, StandIn, wait_for};

/// How strongly a device shakes that is found: 0xa000 of 65535, of 255.
const SHAKE: u8 = 159;

/// The strengths that the device's motor was told since some report, the strong one's byte of each.
fn told(pad: &StandIn, from: usize) -> Vec<u8> {
    pad.written(0)[from..].iter().filter(|bytes| bytes.starts_with(&[2, 2])).map(|bytes| bytes[2]).collect()
}

pub fn chosen(bench: &Bench) -> Result<(), String> {
    let home = bench.home();
    let with = bench.served(&home)?;
    let ask = |arguments: &[&str]| -> Result<String, String> {
        let output = with(arguments).output().map_err(|error| error.to_string())?;
        let said = String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
        if output.status.success() { Ok(said) } else { Err(format!("{arguments:?}: {said}")) }
    };
    let file = shipped::device("cellar-pad").map_err(|fault| fault.to_string())?;
    let pad = StandIn::plug(&file, "lab-1", None)?;
    let mut engine = Lines::start(&mut with(&["serve", "--bare"]))?;
    engine.wait("the pad", |line| line.contains("slot 1: its pad is ready"))?;
    wait_for("the start-up", || pad.is_awake(0).then_some(()))?;
    wait_for("the slot to play", || ask(&["status"]).ok()?.contains("Slot 1").then_some(()))?;

    // Found: it shakes four times, and is still in the end.
    wait_for("the device to be found", || ask(&["find", "cellar"]).ok())?;
    let mut seen = Vec::new();
    wait_for("four shakes", || {
        seen = told(&pad, 0);
        (seen.len() >= 8).then_some(())
    })
    .map_err(|why| format!("{why}: {seen:?}"))?;
    if seen != [SHAKE, 0, SHAKE, 0, SHAKE, 0, SHAKE, 0] {
        return Err(format!("it was told {seen:?}"));
    }

    // A game's rumble, whole and at half its strength.
    let mut game = bench.game(None)?;
    game.added()?;
    let mut strongest = |percent: &str| -> Result<u8, String> {
        ask(&["rumble", "--slot", "1", percent])?;
        let from = pad.written(0).len();
        game.lines.say("rumble")?;
        game.lines.wait("the call to return", |line| line.starts_with("rumbled "))?;
        let mut all = Vec::new();
        wait_for("a rumble that ends", || {
            all = told(&pad, from);
            (all.len() >= 2 && all.last() == Some(&0)).then_some(())
        })
        .map_err(|why| format!("{why} at {percent} %: {all:?}"))?;
        Ok(all.into_iter().max().unwrap_or(0))
    };
    let (whole, half) = (strongest("100")?, strongest("50")?);
    if whole == 0 || half.abs_diff(whole / 2) > 1 {
        return Err(format!("{whole} at 100 %, {half} at 50 %"));
    }
    // Switched off, a rumble tells the device nothing; the game is not refused.
    ask(&["rumble", "--slot", "1", "0"])?;
    let from = pad.written(0).len();
    game.lines.say("rumble")?;
    game.lines.wait("the call to return", |line| line.starts_with("rumbled ") && line.ends_with(" 0"))?;
    ask(&["find", "cellar"])?;
    wait_for("a shake", || (!told(&pad, from).is_empty()).then_some(()))?;
    if told(&pad, from)[0] != SHAKE {
        return Err(format!("it is switched off, and was told {:?}", told(&pad, from)));
    }
    // It is kept.
    let kept =
        std::fs::read_to_string(home.join("config/placid-mantle/slots.toml")).map_err(|error| error.to_string())?;
    if !kept.contains("rumble = 0") {
        return Err(format!("the slots file does not keep it:\n{kept}"));
    }
    bench::end(engine)
}

/// Effects of every kind that a pad takes, as the device's motors are told: a wave moves both, a change and a stop count at once, a gain reduces
/// everything, and a game that dies shakes nothing any more.
pub fn effects(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("cellar-pad").map_err(|fault| fault.to_string())?;
    let pad = StandIn::plug(&file, "lab-1", None)?;
    let mut engine = bench.bare_engine(&bench.home())?;
    let node = bench::pad(&mut engine, 1)?;
    wait_for("the start-up", || pad.is_awake(0).then_some(()))?;
    let motors = || -> Option<[u8; 2]> {
        let all = pad.written(0);
        all.iter().rev().find(|bytes| bytes.starts_with(&[2, 2])).map(|bytes| [bytes[2], bytes[3]])
    };
    let until = |what: &str, wanted: [u8; 2]| {
        wait_for(what, || (motors() == Some(wanted)).then_some(())).map_err(|why| format!("{why}: {:?}", motors()))
    };
    let game = Shaker::open(&node)?;
    let wave = game.wave(0x7fff, 0)?;
    game.play(wave)?;
    until("a wave", [255, 255])?;
    game.gain(0x8000)?;
    until("half of it", [128, 128])?;
    game.gain(0xffff)?;
    until("all of it", [255, 255])?;
    game.stop(wave)?;
    until("its stop", [0, 0])?;
    // A swelling one is sent in steps, each stronger than the one before.
    let from = pad.written(0).len();
    let swell = game.swell(400)?;
    game.play(swell)?;
    let steps = wait_for("the end of what swells", || {
        let steps = told(&pad, from);
        (steps.iter().any(|step| *step > 0) && steps.last() == Some(&0)).then_some(steps)
    })?;
    let rises = steps.windows(2).filter(|two| two[0] < two[1]).count();
    if rises < 5 || steps[..steps.len() - 1].windows(2).any(|two| two[0] > two[1]) {
        return Err(format!("it swells as {steps:?}"));
    }
    let rumble = game.upload(0xffff, 0, 0)?;
    game.play(rumble)?;
    until("a rumble", [255, 0])?;
    if game.change(rumble, 0, 0xffff, 0)? != rumble {
        return Err("a change made another effect".into());
    }
    until("its change", [0, 255])?;
    // As many as there is room for, and one more, which is refused and shakes nothing.
    let mut taken = 3;
    while game.upload(1, 1, 10).is_ok() {
        taken += 1;
    }
    if taken != mantle_core::pad::EFFECTS {
        return Err(format!("the pad takes {taken} effects"));
    }
    // A thousand changes at once: the last of them counts.
    for step in 0..1_000u16 {
        game.change(rumble, step, 0x8000, 0)?;
    }
    game.change(rumble, 0x4000, 0, 0)?;
    until("the last of a thousand", [64, 0])?;
    // The game dies while it shakes.
    drop(game);
    until("the end of the game", [0, 0])?;
    bench::end(engine)
}

/// A device that takes five seconds over what is sent to it delays nobody else, and gets the newest in the end.
pub fn blocked(bench: &Bench) -> Result<(), String> {
    let descriptor = "05 01 09 05 a1 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02 \
        05 01 09 30 09 31 09 33 09 34 26 ff 00 75 08 95 04 81 02 06 00 ff 09 01 95 03 b1 02 c0";
    let text = format!(
        "version = 1\nname = \"Mooring\"\nvendor = 0x1209\nproduct = 0x0b09\n[[interface]]\nrate = 100\ndescriptor = \"{descriptor}\"\n"
    );
    let file = DeviceFile::parse("mooring.device.toml", &text).map_err(|fault| fault.to_string())?;
    let home = bench.home();
    let sheets = home.join(".config/placid-mantle/sheets");
    std::fs::create_dir_all(&sheets).map_err(|error| error.to_string())?;
    let sheet = "version = 1\nname = \"Mooring\"\nkeep = true\n[match]\nvendor = 0x1209\nproduct = 0x0b09\n\
        [rumble]\nsend = \"feature\"\nbytes = \"00 01\"\nlength = 4\nstrong = { at = 8, size = 8 }\nweak = { at = 16, size = 8 }\n";
    std::fs::write(sheets.join("mooring.sheet.toml"), sheet).map_err(|error| error.to_string())?;
    let (slow, mut other) = (StandIn::plug(&file, "lab-1", Some("M1"))?, StandIn::plug(&file, "lab-2", Some("M2"))?);
    let mut engine = bench.bare_engine(&home)?;
    let nodes = [bench::pad(&mut engine, 1)?, bench::pad(&mut engine, 2)?];
    bench::reads(&engine, 2)?;
    let rest = [0, 128, 128, 128, 128];
    other.send(0, &rest)?;
    slow.ignore_sets();
    let game = Shaker::open(&nodes[0])?;
    let effect = game.upload(0xffff, 0, 0)?;
    game.play(effect)?;
    let told = || slow.written(0).iter().map(|bytes| bytes[1..].to_vec()).collect::<Vec<_>>();
    wait_for("what it is slow about", || (told().len() == 1).then_some(()))?;
    // While it is: a press of the other one, and changes of what it is to do.
    let mut raw = RawPad::open(&nodes[1])?;
    for strong in [0x2000, 0x4000, 0x8000] {
        game.change(effect, strong, 0, 0)?;
        other.send(0, &[1, 128, 128, 128, 128])?;
        if raw.frame("a press of the other one")? != [(1, 0x130, 1)] {
            return Err("the other one says something else".into());
        }
        other.send(0, &rest)?;
        raw.frame("its end")?;
    }
    if told().len() != 1 {
        return Err(format!("it was told {:?} while it was busy with the first", told()));
    }
    let newest = wait_for("the newest in the end", || told().last().filter(|bytes| bytes[1] == 128).cloned());
    newest.map_err(|why| format!("{why}: {:?}", told()))?;
    if told().len() > 3 {
        return Err(format!("it was told everything that has passed: {:?}", told()));
    }
    bench::end(engine)
}
