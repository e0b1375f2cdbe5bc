//! Faults that players suffer, by families, each with what has to be said about it.

use crate::Fault;
use mantle_core::command::Command;
use mantle_core::slot::SlotNumber;

fn slot(number: u8) -> SlotNumber {
    SlotNumber::new(number).expect("a slot")
}

/// A plain pad in slot 1.
fn quay(more: &str) -> String {
    format!("[[device]]\nfile = \"quay-pad\"\nport = \"1-3\"\n{more}\n")
}

fn other(file: &str, more: &str) -> String {
    format!("[[device]]\nfile = \"{file}\"\nport = \"2-4\"\n{more}\n")
}

fn hand(control: &str, rest: &str) -> String {
    format!("[[device.hand]]\ncontrol = \"{control}\"\n{rest}\n")
}

/// A button that is pressed once per second.
fn presses() -> String {
    hand("button 1", "at = 1.0\nevery = 1.0\nhold = 0.2")
}

fn profile(name: &str, text: &str) -> String {
    format!("[[profile]]\nname = \"{name}\"\ntext = '''\nversion = 1\nname = \"{name}\"\n{text}'''\n")
}

fn binding(target: &str, source: &str, more: &str) -> String {
    format!("[[binding]]\ntarget = \"{target}\"\nsource = \"{source}\"\n{more}\n")
}

/// A pad in slot 1 that plays by a profile.
fn by(name: &str, more: &str) -> String {
    quay(&format!("slots = [1]\nprofile = \"{name}\"\n{more}"))
}

pub fn all() -> Vec<Fault> {
    let mut all = controls();
    all.extend(measured());
    all.extend(silence());
    all.extend(feel());
    all.extend(layers());
    all.extend(profiles());
    all.extend(missing());
    all.extend(machine());
    all
}

/// A control that is known to play nothing.
fn controls() -> Vec<Fault> {
    vec![
        Fault::new(
            "a pedal rests at full",
            quay(&format!("rest = [{{ control = \"accelerator\", value = 255 }}]\n{}", presses())),
            4.0,
            &["Slot 1", "accelerator of Quay pad", "down when it was connected", "measure"],
        ),
        Fault::new(
            "both pedals rest at full",
            quay(&format!(
                "rest = [{{ control = \"accelerator\", value = 255 }}, {{ control = \"brake\", value = 255 }}]\n{}",
                presses()
            )),
            4.0,
            &["accelerator", "brake", "down when"],
        ),
        Fault::new(
            "a button is down when it comes, and let go",
            quay(&hand("button 2", "at = 0.0\nhold = 6.0")),
            3.0,
            &["button 2 of Quay pad", "down when it was connected", "release it"],
        )
        .gone_by(9.0),
        Fault::new(
            "a stick stands at its end",
            quay(&format!("rest = [{{ control = \"X\", value = 250 }}]\n{}", presses())),
            14.0,
            &["X of Quay pad", "been at an end", "measure"],
        ),
        Fault::new(
            "a pedal that rests at full is measured",
            quay(&format!(
                "rest = [{{ control = \"accelerator\", value = 255 }}]\n{}",
                hand("accelerator", "at = 12.0\nto = 0\nover = 0.4\nhold = 0.4\nback = 0.4")
            )),
            4.0,
            &["accelerator of Quay pad", "down when it was connected"],
        )
        .measured(15.0, 160.0),
        Fault::new(
            "a stick that rests at its end is measured",
            quay(&format!(
                "rest = [{{ control = \"X\", value = 250 }}]\n{}",
                hand("X", "at = 24.0\nto = 0\nover = 0.4\nhold = 0.4\nback = 0.4")
            )),
            14.0,
            &["X of Quay pad", "been at an end", "measure"],
        )
        .measured(27.0, 350.0),
        Fault::new(
            "an axis that a common pad has no place for",
            other("kestrel-puck", "hands = false"),
            4.0,
            &["Kestrel puck", "Z", "play nothing", "flight stick"],
        ),
        Fault::new(
            "both triggers on one axis",
            other("shingle-pad", ""),
            6.0,
            &["both triggers of Shingle pad share one axis, Z", "cancel out", "bind one to a button"],
        ),
        Fault::new(
            "an axis that nobody can guess",
            other("cove-box", ""),
            6.0,
            &["Rx of Cove box", "plays nothing", "Bind it"],
        ),
        Fault::new(
            "a control that the profile leaves out",
            profile("few", &format!("defaults = false\n{}", binding("South", "button 1", "")))
                + &by("few", &hand("button 5", "at = 2.0\nevery = 1.0\nhold = 0.5")),
            4.2,
            &["you press button 5 of Quay pad", "plays nothing"],
        )
        .agreed(5.3),
    ]
}

/// What is measured while it plays.
fn measured() -> Vec<Fault> {
    let worn = |to: i32| {
        quay(
            &(presses() + &hand("X", &format!("at = 1.0\nevery = 1.5\nto = {to}\nover = 0.1\nhold = 0.4\nback = 0.1"))),
        )
    };
    vec![
        Fault::new(
            "a stick drifts to the right",
            quay(&format!("rest = [{{ control = \"X\", value = 150 }}]\n{}", presses())),
            14.0,
            &["Slot 1", "left stick X", "18 % off centre", "dead zone of 21 %", "easure"],
        )
        .agreed(20.0),
        Fault::new(
            "a stick begins to drift after a while",
            quay(&(presses() + &hand("X", "at = 6.0\nto = 147\nover = 4.0\nhold = 90.0"))),
            22.0,
            &["left stick X", "off centre"],
        )
        .agreed(26.0),
        Fault::new(
            "a stick drifts, and is played all the same",
            quay(&format!(
                "rest = [{{ control = \"X\", value = 150 }}]\n{}",
                hand("X", "at = 2.0\nevery = 14.0\nto = 255\nover = 0.2\nhold = 1.0\nback = 0.2")
            )),
            29.0,
            &["left stick X", "off centre"],
        ),
        Fault::new(
            "a stick drifts up",
            quay(&format!("rest = [{{ control = \"Y\", value = 100 }}]\n{}", presses())),
            14.0,
            &["left stick Y", "off centre"],
        )
        .agreed(20.0),
        Fault::new(
            "the right stick drifts",
            quay(&format!("rest = [{{ control = \"Rz\", value = 145 }}]\n{}", presses())),
            14.0,
            &["right stick Y", "off centre"],
        )
        .agreed(20.0),
        Fault::new(
            "a stick drifts, and a dead zone covers it",
            quay(&format!(
                "rest = [{{ control = \"X\", value = 141 }}]\nslots = [1]\nprofile = \"plain\"\n{}",
                presses()
            )),
            14.0,
            &["left stick X", "off centre"],
        )
        .agreed(20.0),
        Fault::new(
            "a stick never reaches its right end",
            worn(232),
            20.0,
            &["left stick X", "never gets past 82 %", "upper end", "outer dead zone"],
        )
        .agreed(22.0),
        Fault::new(
            "a stick never reaches its left end",
            worn(30),
            20.0,
            &["left stick X", "never gets past", "lower end"],
        )
        .agreed(22.0),
        Fault::new(
            "a trigger never reaches its end",
            quay(
                &(presses()
                    + &hand("accelerator", "at = 1.0\nevery = 1.5\nto = 180\nover = 0.1\nhold = 0.4\nback = 0.1")),
            ),
            20.0,
            &["right trigger", "never gets past 71 %"],
        )
        .agreed(22.0),
        Fault::new(
            "a stick trembles",
            quay(&format!("trembles = [{{ control = \"X\", by = 14 }}]\n{}", presses())),
            10.0,
            &["left stick X", "trembles"],
        )
        .agreed(14.0),
        Fault::new(
            "a stick jumps for a moment, again and again",
            quay(&format!("trembles = [{{ control = \"X\", by = 110, every = 41 }}]\n{}", presses())),
            30.0,
            &["left stick X", "jumps away", "cable"],
        )
        .agreed(31.0),
        Fault::new(
            "a stick jumps every few seconds, for one report",
            quay(&format!("trembles = [{{ control = \"Y\", by = 110, every = 500 }}]\n{}", presses())),
            20.0,
            &["left stick Y", "jumps away"],
        ),
        Fault::new(
            "a stick of a fast device jumps",
            quay(&format!(
                "rates = [[0.0, 1000]]\ntrembles = [{{ control = \"X\", by = 110, every = 251 }}]\n{}",
                presses()
            )),
            40.0,
            &["left stick X", "jumps away"],
        ),
        Fault::new(
            "a button that is stuck for minutes",
            quay(&(presses() + &hand("button 3", "at = 2.0\nhold = 200.0"))),
            130.0,
            &["button 3 of Quay pad", "has been down for 2 min", "stuck"],
        )
        .gone_by(204.0),
        Fault::new(
            "a trigger that is stuck for minutes",
            quay(&(presses() + &hand("brake", "at = 2.0\nto = 200\nhold = 200.0"))),
            130.0,
            &["left trigger", "has been down for"],
        )
        .gone_by(204.0),
        Fault::new(
            "a stick that stays far out",
            quay(&(presses() + &hand("Y", "at = 2.0\nto = 250\nhold = 400.0"))),
            310.0,
            &["left stick Y", "has been down for 5 min"],
        )
        .agreed(320.0),
        Fault::new(
            "a trigger that comes to rest half way",
            quay(&(presses() + &hand("brake", "at = 2.0\nto = 120\nhold = 400.0"))),
            150.0,
            &["left trigger", "has been down for"],
        )
        .agreed(152.0),
    ]
}

fn silence() -> Vec<Fault> {
    vec![
        Fault::new(
            "it falls silent",
            quay("rates = [[6.0, 0]]"),
            11.0,
            &["Slot 1", "reports per second and has been silent for", "switch it on"],
        ),
        Fault::new("it falls silent and speaks again", quay("rates = [[6.0, 0], [12.0, 125]]"), 11.0, &["silent for"])
            .gone_by(14.0),
        Fault::new(
            "a wireless one with a low battery falls silent",
            other("lantern-left", "rates = [[6.0, 0]]\nrest = [{ control = \"battery\", value = 1 }]"),
            12.0,
            &["Lantern left", "silent for", "battery was at"],
        ),
        Fault::new(
            "reports come six times per second",
            quay("rates = [[0, 6]]"),
            12.0,
            &["sends only 6 reports per second", "late"],
        ),
        Fault::new("reports become slow", quay("rates = [[5.0, 5]]"), 14.0, &["sends only 5 reports per second"]),
        Fault::new(
            "a tenth of the reports is damaged",
            quay("damaged = 0.1"),
            8.0,
            &["10 % of what Quay pad sends cannot be read", "cable"],
        ),
        Fault::new(
            "one report in fifty is damaged",
            quay("damaged = 0.02"),
            12.0,
            &["2 % of what Quay pad sends cannot be read"],
        ),
        Fault::new(
            "nothing that comes can be read",
            quay("damaged = 1.0"),
            6.0,
            &["stops at Reports", "cannot be read"],
        ),
        Fault::new(
            "it comes and goes",
            quay("gone = [[2.0, 3.0], [4.0, 5.0], [6.0, 7.0]]"),
            9.0,
            &["Quay pad comes and goes", "3 times within a minute", "cable or port"],
        )
        .gone_by(75.0),
        Fault::new(
            "it comes, goes, and is away now",
            quay("gone = [[2.0, 3.0], [4.0, 5.0], [6.0, 20.0]]"),
            9.0,
            &["kept for Quay pad", "3 times within a minute"],
        ),
        Fault::new(
            "its start-up is not answered",
            other("cellar-pad", "wakes = \"mute\""),
            6.0,
            &["Cellar pad does not start up", "not answered"],
        ),
        Fault::new(
            "its start-up is refused",
            other("cellar-pad", "wakes = \"refuses\""),
            6.0,
            &["Cellar pad does not start up"],
        ),
        Fault::new(
            "a receiver without its controller",
            quay(
                "hands = false\nrest = [{ control = \"X\", value = 0 }, { control = \"Y\", value = 0 }, { control = \"Z\", value = 0 }, { control = \"Rz\", value = 0 }, { control = \"hat\", value = 0 }]",
            ),
            6.0,
            &["no controller is connected to it", "receiver"],
        ),
        Fault::new(
            "an untouched pad that streams",
            quay("hands = false"),
            6.0,
            &["Slot 1 has not been tried: press a button on Quay pad"],
        )
        .by_hand(),
        Fault::new(
            "an untouched panel",
            other("harbour-panel", "hands = false"),
            6.0,
            &["Slot 1 has not been tried: press a button on Harbour panel"],
        )
        .by_hand(),
    ]
}

fn feel() -> Vec<Fault> {
    let with = |text: &str| profile("own", text) + &by("own", "");
    vec![
        Fault::new(
            "a dead zone of nearly everything",
            String::from("[[profile]]\nname = \"numb\"\ndead_zone = 0.9\n") + &by("numb", ""),
            6.0,
            &["feel of the left stick", "hardly anything through", "dead zone 90 %", "always has"],
        )
        .agreed(8.0),
        Fault::new(
            "a sensitivity of next to nothing",
            with("[feel.\"left stick\"]\nsensitivity = 0.1\n"),
            6.0,
            &["left stick", "hardly anything", "sensitivity 0.10"],
        )
        .agreed(8.0),
        Fault::new(
            "a trigger with a dead zone of nearly everything",
            with("[feel.\"right trigger\"]\ndead_zone = 0.9\n"),
            6.0,
            &["right trigger", "dead zone 90 %"],
        )
        .agreed(8.0),
        Fault::new(
            "smoothing of half a second",
            with("[feel.\"right stick\"]\nsmoothing = 0.5\n"),
            6.0,
            &["right stick", "smoothing of 500 ms"],
        )
        .agreed(8.0),
        Fault::new(
            "a curve that stays flat",
            with("[feel.\"left stick\"]\ncurve = [[0.5, 0.0], [0.9, 0.02]]\n"),
            6.0,
            &["left stick"],
        )
        .agreed(8.0),
        Fault::new(
            "a stick is pushed, and the dead zone keeps it",
            String::from("[[profile]]\nname = \"numb\"\ndead_zone = 0.9\n")
                + &by("numb", &hand("X", "at = 2.0\nevery = 4.0\nto = 210\nover = 0.2\nhold = 3.0\nback = 0.2")),
            4.0,
            &["X of Quay pad", "stays at rest", "feel keeps it back"],
        )
        .agreed(4.6),
    ]
}

fn layers() -> Vec<Fault> {
    let held = |more: &str| format!("[[layer]]\nname = \"aim\"\nhold = \"button 5\"\n{more}");
    let press = |button: u8| hand(&format!("button {button}"), "at = 2.0\nevery = 1.0\nhold = 0.6");
    vec![
        Fault::new(
            "a control of a layer that is off",
            profile(
                "own",
                &(String::from("defaults = false\n") + &held("") + &binding("South", "button 9", "layer = \"aim\"")),
            ) + &by("own", &press(9)),
            4.3,
            &["button 9 of Quay pad", "only in the layer aim", "hold button 5"],
        ),
        Fault::new(
            "a control of a switched layer that is off",
            profile(
                "own",
                &(String::from("defaults = false\n")
                    + &held("toggle = true\n")
                    + &binding("South", "button 9", "layer = \"aim\"")),
            ) + &by("own", &press(9)),
            4.3,
            &["button 9", "layer aim", "press button 5"],
        ),
        Fault::new(
            "a layer that is held has nothing for it",
            profile(
                "own",
                &(String::from("defaults = false\n")
                    + &held("")
                    + &binding("South", "button 1", "")
                    + &binding("South", "none", "layer = \"aim\"")),
            ) + &by("own", &(hand("button 5", "at = 1.0\nhold = 30.0") + &press(1))),
            4.3,
            &["layer aim is held", "button 1", "release it"],
        ),
        Fault::new(
            "a chord that is not reached",
            profile(
                "own",
                &(String::from("defaults = false\n") + &binding("South", "button 1", "with = [\"button 6\"]")),
            ) + &by("own", &press(1)),
            4.3,
            &["button 1", "only together with button 6"],
        ),
        Fault::new(
            "a threshold that is not reached",
            profile("own", &(String::from("defaults = false\n") + &binding("South", "accelerator", "press = 0.8")))
                + &by(
                    "own",
                    &(hand("accelerator", "at = 2.0\nevery = 4.0\nto = 120\nover = 0.1\nhold = 3.0\nback = 0.1")),
                ),
            4.3,
            &["accelerator", "counts from 80 %", "is at 47 %"],
        )
        .agreed(4.6),
    ]
}

fn profiles() -> Vec<Fault> {
    let plain = || quay("slots = [1]\nprofile = \"own\"");
    vec![
        Fault::new(
            "a profile that is not there",
            by("nowhere", ""),
            4.0,
            &["there is no profile named nowhere", "default"],
        )
        .mended_by(Command::PlayBy { slot: slot(1), profile: "plain".into() }, 6.0),
        Fault::new(
            "a profile for another device",
            profile(
                "own",
                &(String::from("defaults = false\n")
                    + &binding("South", "pedal 1", "")
                    + &binding("East", "pedal 2", "")),
            ) + &plain(),
            4.0,
            &["nothing in the profile own", "another device"],
        )
        .agreed(6.0),
        Fault::new(
            "half of a profile",
            profile(
                "own",
                &(String::from("defaults = false\n")
                    + &binding("South", "button 1", "")
                    + &binding("East", "button 44", "")
                    + &binding("West", "button 45", "")),
            ) + &plain(),
            4.0,
            &["2 of 3 bindings of the profile own", "line 8", "no control named button 44"],
        ),
        Fault::new(
            "one source that is misspelt",
            profile("own", &(binding("South", "buton 1", "") + &binding("Start", "button 3", ""))) + &plain(),
            4.0,
            &["one binding of the profile own", "line 3", "buton 1; did you mean button 1?"],
        )
        .agreed(6.0),
        Fault::new(
            "one target that is misspelt",
            profile("own", &binding("Suoth", "button 1", "")) + &plain(),
            4.0,
            &["own.profile.toml:4:10", "did you mean \"South\""],
        ),
        Fault::new(
            "a key that nobody knows",
            profile("own", "mood = 1\n") + &plain(),
            4.0,
            &["own.profile.toml:3:1", "mood: unknown key"],
        ),
        Fault::new(
            "a profile that is no TOML",
            "[[profile]]\nname = \"own\"\ntext = '''\nversion = 1\n[[[\n'''\n".to_owned() + &plain(),
            4.0,
            &["own.profile.toml:2"],
        ),
        Fault::new(
            "two files at fault: the first",
            profile("own", "mood = 1\n") + &profile("two", "mirth = 1\n") + &plain(),
            4.0,
            &["own.profile.toml", "mood"],
        ),
        Fault::new(
            "two files at fault: the second",
            profile("own", "mood = 1\n") + &profile("two", "mirth = 1\n") + &plain(),
            4.0,
            &["two.profile.toml", "mirth"],
        ),
        Fault::new(
            "a sheet at fault",
            String::from(
                "[[sheet]]\nname = \"odd\"\ntext = '''\nversion = 1\nname = \"odd\"\nmood = 1\n[match]\nvendor = 1\n'''\n",
            ) + &quay(""),
            4.0,
            &["odd.sheet.toml:3:1", "mood"],
        ),
        Fault::new(
            "it would type, and nobody has agreed",
            profile("own", &binding("key A", "button 1", "")) + &plain(),
            4.0,
            &["wants to type something", "allow"],
        )
        .mended_by(Command::LetType { slot: slot(1), allowed: true }, 6.0),
        Fault::new(
            "a profile of pads for a slot without one",
            profile(
                "own",
                &(String::from("defaults = false\n")
                    + &binding("South", "button 1", "")
                    + &binding("East", "button 2", "")),
            ) + &quay("slots = [1]\nprofile = \"own\"\nkind = \"keys\""),
            4.0,
            &["nothing is bound to a key"],
        ),
        Fault::new(
            "a fault that is mended by an edit",
            profile("own", &binding("South", "buton 1", "")) + &plain(),
            4.0,
            &["buton 1"],
        )
        .mended_by(
            Command::Edit {
                slot: slot(1),
                changes: vec![mantle_core::binding::Change::Source {
                    target: mantle_core::pad::PadTarget::South.into(),
                    layer: String::new(),
                    source: Some("button 1".into()),
                    inverted: false,
                }],
            },
            6.0,
        ),
    ]
}

/// Who is missing, and who is there twice.
fn missing() -> Vec<Fault> {
    let yoke = |more: &str, pedals: &str| {
        format!(
            "[[device]]\nfile = \"pilot-yoke\"\nport = \"1-8\"\nslots = [2]\n{more}\n{}",
            other("tread-pedals", &format!("slots = [2]\n{pedals}"))
        )
    };
    vec![
        Fault::new(
            "one of a tied pair is gone",
            yoke("", "gone = [[3.0, 60.0]]"),
            8.0,
            &["Slot 2", "Tread pedals is gone", "Pilot yoke plays on"],
        ),
        Fault::new("one of a tied pair comes back", yoke("", "gone = [[3.0, 9.0]]"), 8.0, &["Tread pedals is gone"])
            .gone_by(12.0),
        Fault::new(
            "one of a tied pair is refused",
            yoke("", "readable = false"),
            8.0,
            &["may not read Tread pedals", "others play on"],
        ),
        Fault::new(
            "one of a tied pair cannot be read",
            yoke("", "damaged = 1.0"),
            8.0,
            &["Tread pedals plays nothing", "others play on"],
        ),
        Fault::new(
            "a device is gone",
            quay("gone = [[3.0, 60.0]]"),
            6.0,
            &["Slot 1 is kept for Quay pad", "Plug it in again"],
        ),
        Fault::new(
            "it may not be opened",
            quay("readable = false"),
            4.0,
            &["your account may not read", "EACCES", "placid-mantle setup --install"],
        ),
        Fault::new("it may not be opened yet", quay("readable = false\nreadable_at = 5.0"), 4.0, &["may not read"])
            .gone_by(9.0),
        Fault::new(
            "another program has it",
            quay("busy = [[0.0, 6.0]]"),
            4.0,
            &["another program holds Quay pad", "EBUSY"],
        )
        .gone_by(10.0),
        Fault::new(
            "a device without a slot beside one that plays",
            quay("") + &other("gull-mouse", "") + &other("harbour-panel", "driver = \"tidepad\"").replace("2-4", "2-5"),
            6.0,
            &["Harbour panel has no slot", "tidepad", "Place it"],
        ),
        Fault::new(
            "a ninth device",
            (1..=9)
                .map(|n| format!("[[device]]\nfile = \"quay-pad\"\nport = \"1-{n}\"\nserial = \"N{n}\"\n"))
                .collect::<String>(),
            6.0,
            &["has no slot", "all 8 are in use"],
        ),
        Fault::new(
            "a vendor-defined one alone",
            String::from("without_sheets = true\n") + &other("cellar-pad", "wakes = \"awake\""),
            4.0,
            &["Cellar pad does not describe its controls", "then n, finds them"],
        ),
        Fault::new(
            "two with one serial number",
            quay("serial = \"S\"") + &other("quay-pad", "serial = \"S\""),
            6.0,
            &["Two devices named Quay pad", "same serial number", "port"],
        )
        .by_hand(),
        Fault::new(
            "the same by cable and by radio",
            // As an older program has written it: each with a slot of its own.
            quay("serial = \"AA:01\"\nslots = [1]")
                + &other("quay-pad", "serial = \"AA:01\"\nbus = \"bluetooth\"\nslots = [2]"),
            6.0,
            &["Quay pad", "the same device"],
        )
        .agreed(8.0),
        Fault::new(
            "twins that are asked about",
            std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../scenes/twins.scene.toml"))
                .expect("the scene")
                .lines()
                .filter(|line| !line.starts_with("version") && !line.starts_with("title"))
                .collect::<Vec<_>>()
                .join("\n"),
            3.5,
            &["Two devices are alike", "press a button"],
        )
        .by_hand(),
        Fault::new("nothing is connected", String::new(), 3.0, &["No device is connected", "Plug in a controller"]),
        Fault::new(
            "its descriptor cannot be read",
            quay("slots = [1]\ndescriptor = false"),
            4.0,
            &["report descriptor of Quay pad cannot be read"],
        ),
    ]
}

/// Batteries, the machine, and what somebody did.
fn machine() -> Vec<Fault> {
    let lantern =
        |battery: i64| other("lantern-left", &format!("rest = [{{ control = \"battery\", value = {battery} }}]"));
    let no_uinput = |kind: &str| format!("[machine]\nuinput = \"{kind}\"\n");
    vec![
        Fault::new("a low battery", lantern(1), 6.0, &["battery of Lantern left", "low", "charge"]),
        Fault::new("an empty battery", lantern(0), 6.0, &["battery of Lantern left", "nearly empty"]),
        Fault::new("everything is let go", quay(""), 5.0, &["Everything is let go", "from here"])
            .after(3.0, Command::LetGo)
            .mended_by(Command::Resume, 7.0),
        Fault::new("a slot is paused", quay(""), 5.0, &["Slot 1 is paused", "resume"])
            .after(3.0, Command::PauseSlot { slot: slot(1), paused: true })
            .mended_by(Command::PauseSlot { slot: slot(1), paused: false }, 7.0),
        Fault::new(
            "no uinput",
            no_uinput("absent") + &quay(""),
            4.0,
            &["no pad can be made", "ENOENT", "modprobe uinput"],
        ),
        Fault::new(
            "no right to uinput",
            no_uinput("denied") + &quay(""),
            4.0,
            &["no pad can be made", "EACCES", "placid-mantle setup --install"],
        ),
        Fault::new(
            "no module",
            no_uinput("no module") + &quay(""),
            4.0,
            &["no pad can be made", "Restart the computer"],
        ),
        Fault::new(
            "no uinput, and no device yet",
            no_uinput("absent"),
            4.0,
            &["No pad can be made", "modprobe uinput"],
        )
        .by_hand(),
        Fault::new(
            "no uinput at first, and no device",
            String::from("[machine]\nuinput = \"absent\"\nuinput_mended_at = 6.0\n"),
            4.0,
            &["No pad can be made"],
        )
        .by_hand()
        .gone_by(9.0),
        Fault::new(
            "no uinput while a slot is kept",
            no_uinput("absent") + &quay("slots = [1]\nat = 90.0"),
            4.0,
            &["Slot 1", "no pad can be made"],
        ),
        Fault::new(
            "uinput goes while it plays",
            String::from("[machine]\nuinput_gone_at = 5.0\n") + &quay(""),
            9.0,
            &["no pad can be made"],
        ),
        Fault::new(
            "uinput goes and comes back",
            String::from("[machine]\nuinput_gone_at = 5.0\nuinput_mended_at = 10.0\n") + &quay(""),
            9.0,
            &["no pad can be made"],
        )
        .gone_by(14.0),
        Fault::new(
            "a game sees it twice",
            quay("cover = \"no\""),
            6.0,
            &["a game would see Quay pad beside its pad", "setup --install --helper"],
        ),
        Fault::new(
            "one of two is covered, the other is not",
            quay("") + &other("harbour-panel", "cover = \"no\""),
            6.0,
            &["Slot 2", "Harbour panel beside its pad"],
        ),
        Fault::new(
            "another program holds the device",
            quay("slots = [1]\ncover = \"busy\"")
                + "[[program]]\nname = \"crane\"\nprocess = 612\nopens = [\"Quay pad\"]\n",
            6.0,
            &["(holding of its input node: EBUSY)", "crane (612) has it open"],
        ),
        Fault::new(
            "the program that held the device has ended: it is covered by itself",
            quay("slots = [1]\ncover = \"busy\"")
                + "[[program]]\nname = \"crane\"\nprocess = 612\nuntil = 3.0\nopens = [\"Quay pad\"]\n",
            8.0,
            &["games still list Quay pad, as a dead pad"],
        ),
        Fault::new(
            "a second program makes another pad of the device",
            quay("slots = [1]")
                + "[[program]]\nname = \"mirror\"\nprocess = 640\nopens = [\"Quay pad\"]\nmakes = true\n",
            6.0,
            &["mirror (640) makes another pad from Quay pad", "Close that program"],
        ),
        Fault::new(
            "a second program makes another pad of ours",
            quay("slots = [1]")
                + "[[program]]\nname = \"mirror\"\nprocess = 640\nopens = [\"Placid Mantle pad 1\"]\nmakes = true\n",
            6.0,
            &["mirror (640) makes another pad from its pad", "a game counts both as players"],
        ),
        Fault::new(
            "a browser lists one of two pads",
            String::from("[machine]\nbrowsers = [\"lagoon (511)\"]\n")
                + &quay("slots = [1]")
                + &other("harbour-panel", "slots = [2]"),
            8.0,
            &["Slot 1", "lagoon (511) lists only the pad of slot 2"],
        ),
        Fault::new(
            "a pad that cannot be a device of its own",
            String::from("[machine]\nuhid = false\n") + &quay("slots = [1]\nmade_by = \"uhid\""),
            6.0,
            &["should be a device of its own", "placid-mantle setup --install"],
        ),
        Fault::new(
            "a pad file that is not there",
            quay("slots = [1]\nkind = \"own pad\"\npad = \"lost\""),
            6.0,
            &["lost.pad.toml", "plays as a common pad"],
        ),
        Fault::new(
            "a pad file that cannot be read",
            String::from("[[own_pad]]\nname = \"torn\"\ntext = \"version = 1\\nvendr = 3\\n\"\n")
                + &quay("slots = [1]"),
            6.0,
            &["torn.pad.toml:2:1", "did you mean `vendor`?"],
        ),
        Fault::new("it is only held", quay("cover = \"held\""), 6.0, &["still list Quay pad", "dead pad"]),
        Fault::new(
            "a read-only configuration",
            String::from(
                "[machine]\nnotices = [\"Nothing can be saved in the configuration: it may not be written.\", \"The slots file is damaged: it is left alone.\"]\n",
            ) + &quay(""),
            4.0,
            &["Nothing can be saved"],
        ),
        Fault::new(
            "a damaged slots file beside it",
            String::from(
                "[machine]\nnotices = [\"Nothing can be saved in the configuration: it may not be written.\", \"The slots file is damaged: it is left alone.\"]\n",
            ) + &quay(""),
            4.0,
            &["slots file is damaged"],
        ),
    ]
}
