//! The commands that need no screen, as a script would use them.

use std::io::Write;
use std::process::{Command, Output, Stdio};

fn run(arguments: &[&str], input: &str) -> Output {
    let mut child = Command::new(env!("CARGO_BIN_EXE_placid-mantle"))
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("it starts");
    child.stdin.take().expect("its input").write_all(input.as_bytes()).expect("it listens");
    child.wait_with_output().expect("it ends")
}

fn answers(requests: &str) -> Vec<serde_json::Value> {
    let output = run(&["inspect", "--stream"], requests);
    assert!(output.status.success());
    let text = String::from_utf8(output.stdout).expect("text");
    text.lines().map(|line| serde_json::from_str(line).expect("every line is JSON")).collect()
}

#[test]
fn inspect_answers_each_request_with_one_line() {
    let keyboard = "05010906a101050719e029e71500250175019508810295017508810305071900296515002565750895068100c0";
    let requests = format!(
        "{{\"id\":\"a\",\"descriptor\":\"{keyboard}\",\"reports\":[\"0100040500000000\",\"01\",\"\",\"zz\"]}}\n\
         {{\"id\":7,\"descriptor\":\"0501c0\",\"reports\":[]}}\nnot json\n\n{{\"id\":\"b\"}}\n"
    );
    let answers = answers(&requests);
    assert_eq!(answers.len(), 4);
    let first = &answers[0];
    assert_eq!(first["id"], "a");
    let report = &first["reports"][0];
    assert_eq!(
        (report["type"].as_str(), report["id"].as_u64(), report["bits"].as_u64()),
        (Some("input"), Some(0), Some(64))
    );
    assert_eq!(report["fields"][0]["usages"][0], 0x7_00e0);
    assert_eq!(report["fields"][1]["kind"], "arr");
    assert_eq!(report["fields"][1]["usages"].as_array().expect("a list").len(), 102);
    let decoded = &first["decoded"][0];
    assert_eq!(decoded["values"][0], serde_json::json!([0, 1]));
    assert_eq!(decoded["values"][8], serde_json::json!([16, 4]));
    assert_eq!(decoded["active"], serde_json::json!([0x7_0004, 0x7_0005]));
    // A short report gives what is complete in it; an empty one, and one that is not hex, are refused.
    assert_eq!(first["decoded"][1]["values"].as_array().expect("a list").len(), 8);
    assert_eq!((&first["decoded"][2]["ok"], &first["decoded"][3]["ok"]), (&false.into(), &false.into()));
    assert_eq!(answers[1]["error"], "byte 2: end of a collection that was not begun");
    assert_eq!((&answers[1]["id"], &answers[1]["ok"]), (&7.into(), &false.into()));
    assert!(answers[2]["id"].is_null() && answers[2]["ok"] == false);
    assert_eq!(answers[3]["id"], "b");
}

#[test]
fn inspect_bounds_what_a_descriptor_claims() {
    // 16 million elements of 32 bits; and as many as the limit allows.
    let greedy = "{\"id\":1,\"descriptor\":\"05010930752097ffffff008102\"}\n{\"id\":2,\"descriptor\":\"0501093075019600308102\"}\n";
    let answers = answers(greedy);
    assert_eq!(answers[0]["error"], "byte 6: report count 16777215 is over 12288");
    assert_eq!(answers[1]["reports"][0]["fields"][0]["usages"].as_array().expect("a list").len(), 12_288);
}

#[test]
fn the_headless_demo_prints_the_same_frames_every_time() {
    let once = run(&["demo", "--headless", "--for", "3"], "").stdout;
    assert_eq!(once, run(&["demo", "--headless", "--for", "3"], "").stdout);
    let text = String::from_utf8(once).expect("text");
    let first = text.lines().next().expect("frames");
    assert_eq!(first, "0.500000 slot 1 key:0x130=1");
    assert!(text.lines().count() > 100);
    for line in text.lines() {
        let mut words = line.split(' ');
        words.next().expect("a time").parse::<f64>().expect("seconds");
        assert_eq!(words.next(), Some("slot"));
    }
}

#[test]
fn mistakes_are_explained_and_exit_with_2() {
    let cases: [(&[&str], &str); 4] = [
        (&["demo", "--scene", "nobody-knows"], "the scenes are: all-well"),
        (&["demo", "--headless", "--for", "99999"], "not within 0 to 86400"),
        (&["setup", "12:34"], "is not VENDOR:PRODUCT"),
        (&["demo"], "use --headless"),
    ];
    for (arguments, words) in cases {
        let output = run(arguments, "");
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.code(), Some(2), "{arguments:?}: {said}");
        assert!(said.contains(words), "{arguments:?}: {said}");
    }
}

#[test]
fn a_broken_scene_file_is_located() {
    let path = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join("broken.scene.toml");
    std::fs::write(&path, "version = 1\ntitle = \"x\"\n[[device]]\nfile = 3\n").expect("written");
    let output = run(&["demo", "--headless", "--for", "1", "--scene", &path.display().to_string()], "");
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(2));
    assert!(said.contains("broken.scene.toml:4:8: invalid type: integer `3`, expected a string"), "{said}");
}

#[test]
fn devices_and_setup_have_output_for_scripts() {
    let output = run(&["devices", "--json"], "");
    let rows: serde_json::Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert!(rows.is_array());
    let output = run(&["setup", "1209:0a02"], "");
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(said.contains("70-placid-mantle.rules") && said.contains("KERNELS==\"*:1209:0A02.*\""), "{said}");
}

/// Puts a file where a command can find it.
fn file(name: &str, bytes: &[u8]) -> String {
    let path = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
    std::fs::write(&path, bytes).expect("written");
    path.display().to_string()
}

const PAD: &str = "05010905a101050919012908150025017501950881020501093009311500 26ff0075089502 8102c0";

fn pad() -> Vec<u8> {
    let digits: String = PAD.split_whitespace().collect();
    (0..digits.len()).step_by(2).map(|at| u8::from_str_radix(&digits[at..at + 2], 16).expect("hex")).collect()
}

fn inspect(path: &str) -> (i32, Vec<serde_json::Value>) {
    let output = run(&["inspect", "--json", path], "");
    let text = String::from_utf8(output.stdout).expect("text");
    let lines = text.lines().map(|line| serde_json::from_str(line).expect("every line is JSON")).collect();
    (output.status.code().expect("it ends"), lines)
}

/// Every recording in the folder is read, in both forms, without a problem.
#[test]
fn inspect_reads_every_sample() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../mantle-files/tests/recordings");
    let mut count = 0;
    for entry in std::fs::read_dir(folder).expect("the folder is there") {
        let path = entry.expect("an entry").path().display().to_string();
        let (code, lines) = inspect(&path);
        assert_eq!(code, 0, "{path}: {lines:?}");
        assert_eq!(lines[0]["kind"], "device");
        assert_eq!(lines[0]["name"], "Sample Pad");
        assert!(lines.iter().any(|line| line["kind"] == "event"), "{path}");
        let text = run(&["inspect", &path], "");
        let said = String::from_utf8(text.stdout).expect("text");
        assert!(text.status.success() && said.contains("Sample Pad   usb 1209:0001"), "{said}");
        count += 1;
    }
    assert!(count >= 3, "only {count} samples were found");
}

#[test]
fn inspect_reads_a_bare_descriptor_as_bytes_and_as_hex() {
    let bytes = pad();
    let c_like: String = bytes.iter().map(|byte| format!("0x{byte:02X}, ")).collect();
    let commented = format!("{{ {} // a pad\n {c_like} }};\n", "");
    let plain: String = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
    let cases = [("pad.bin", bytes.clone()), ("pad.hex", plain.into_bytes()), ("pad.c", commented.into_bytes())];
    for (name, content) in cases {
        let (code, lines) = inspect(&file(name, &content));
        assert_eq!(code, 0, "{name}");
        let kinds: Vec<&str> = lines.iter().map(|line| line["kind"].as_str().expect("a kind")).collect();
        assert_eq!(kinds, ["device", "report"], "{name}");
        assert_eq!((lines[1]["bits"].as_u64(), lines[0]["numbered"].as_bool()), (Some(24), Some(false)));
        assert_eq!(lines[0]["descriptor"].as_str().map(str::len), Some(bytes.len() * 2));
    }
    let text = run(&["inspect", &file("pad.bin", &bytes)], "");
    let said = String::from_utf8(text.stdout).expect("text");
    for words in
        ["  4  a1 01           Collection (application)", "  6  05 09             Usage Page (button)", "8 x  1 bits"]
    {
        assert!(said.contains(words), "{words} is missing:\n{said}");
    }
}

/// 0 for everything, 1 if something could not be read, 2 if nothing could.
#[test]
fn inspect_ends_with_what_it_could_read() {
    let hex: String = pad().iter().map(|byte| format!(" {byte:02x}")).collect();
    let count = pad().len();
    let good = format!("R: {count}{hex}\nN: pad\nI: 3 1209 0001\n");
    let (code, lines) =
        inspect(&file("some.hid", format!("{good}E: 000000.000000 2 00\nE: 000001.000000 3 01 80 80\n").as_bytes()));
    assert_eq!(code, 1);
    let problem = lines.iter().find(|line| line["kind"] == "problem").expect("a problem");
    assert_eq!(problem["line"], 4);
    assert_eq!(problem["offset"].as_u64(), Some(good.len() as u64));
    assert_eq!(problem["message"], "it says 2 bytes, but 1 follow");
    // The next report is read all the same.
    let event = lines.iter().find(|line| line["kind"] == "event").expect("an event");
    assert_eq!((event["time_us"].as_u64(), &event["values"][0]), (Some(1_000_000), &serde_json::json!([0, 1])));
    // A refused descriptor: where, and nothing else could be read.
    let (code, lines) = inspect(&file("refused.bin", &[0x05, 0x01, 0xb4]));
    assert_eq!(
        (code, &lines[1]["message"], &lines[1]["offset"]),
        (2, &"descriptor: byte 2: pop without a push".into(), &2.into())
    );
    for (name, bytes, words) in [
        ("empty", &b""[..], "the file is empty"),
        ("words", b"hello there\n", "neither a recording nor a descriptor in hex"),
    ] {
        let output = run(&["inspect", &file(name, bytes)], "");
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.code(), Some(2), "{name}: {said}");
        assert!(said.contains(words) && said.contains(name), "{said}");
    }
    let output = run(&["inspect", "/nowhere/at/all"], "");
    assert_eq!(output.status.code(), Some(2));
}

/// Two reports of the shipped pad that describes nothing, through its sheet; and one with a wrong checksum.
#[test]
fn inspect_reads_through_a_sheet() {
    let device = mantle_files::shipped::device("cellar-pad").expect("it is shipped");
    let descriptor = device.interface[0].bytes().expect("bytes");
    let mut text = format!("R: {}", descriptor.len());
    descriptor.iter().for_each(|byte| text.push_str(&format!(" {byte:02x}")));
    text.push_str("\nN: Cellar pad\nI: 3 1209 0a09\n");
    let crc = mantle_core::measure::Checksum::KNOWN[12].0;
    let mut report = vec![1u8, 0, 0b0000_0101, 0x08, 0xff, 0x0f, 0x80, 0x00, 0x08, 0x80, 0, 7];
    let sum = crc.of(&report);
    report.extend(sum.to_le_bytes());
    for (n, wrong) in [0u8, 1].into_iter().enumerate() {
        report[15] ^= wrong;
        text.push_str(&format!("E: 00000{n}.000000 16"));
        report.iter().for_each(|byte| text.push_str(&format!(" {byte:02x}")));
        text.push('\n');
    }
    let recording = file("cellar.hid", text.as_bytes());
    let sheet = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../sheets/cellar-pad.sheet.toml");
    let output = run(&["inspect", "--json", &recording, "--with-sheet", &sheet.display().to_string()], "");
    assert_eq!(output.status.code(), Some(1), "one report cannot be read");
    let said = String::from_utf8(output.stdout).expect("text");
    let events: Vec<serde_json::Value> = said
        .lines()
        .map(|line| serde_json::from_str(line).expect("JSON"))
        .filter(|line: &serde_json::Value| line["kind"] == "event")
        .collect();
    let controls = &events[0]["controls"];
    for (name, value) in [
        ("South", 1),
        ("East", 0),
        ("West", 1),
        ("left stick X", 4095),
        ("left stick Y", 0x800),
        ("right trigger", 7),
        ("d-pad", 8),
    ] {
        assert_eq!(controls[name], value, "{name} in {controls}");
    }
    assert_eq!(events[1]["sheet_error"], "its checksum is wrong");
    let output = run(&["inspect", &recording, "--with-sheet", "/nowhere.sheet.toml"], "");
    assert_eq!(output.status.code(), Some(2));
}

/// What was learnt is passed on as one file; its receiver sees what it does before using it.
#[test]
fn a_pack_goes_from_one_person_to_another() {
    let home = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join("pack");
    let _ = std::fs::remove_dir_all(&home);
    std::fs::create_dir_all(&home).expect("a home");
    let shown = |name: &str| home.join(name).display().to_string();
    let sheet = concat!(env!("CARGO_MANIFEST_DIR"), "/../../sheets/cellar-pad.sheet.toml");
    std::fs::write(home.join("ferry.profile.toml"), "version = 1\nname = \"ferry\"\n").expect("written");
    let program = |arguments: &[&str]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_placid-mantle"));
        let output = command.args(arguments).env("XDG_CONFIG_HOME", home.join("config")).output().expect("it runs");
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        (output.status.code(), text(&output.stdout), text(&output.stderr))
    };
    let pack = shown("evening.pack.toml");
    let made = program(&["pack", &pack, sheet, &shown("ferry.profile.toml"), "--about", "for the evening"]);
    assert_eq!(made.0, Some(0), "{made:?}");
    let again = program(&["pack", &pack, sheet]);
    assert!(again.0 == Some(2) && again.2.contains("File exists"), "never over another: {again:?}");

    let (code, said, _) = program(&["unpack", &pack]);
    assert_eq!(code, Some(0));
    for words in [
        "for the evening",
        "sheet    cellar-pad.sheet.toml",
        "when connected, sends output report 02 01",
        "Nothing was extracted",
    ] {
        assert!(said.contains(words), "{words}:\n{said}");
    }
    assert!(!home.join("config").exists(), "nothing was extracted");
    assert_eq!(program(&["unpack", &pack, "--use"]).0, Some(0));
    let own = home.join("config/placid-mantle/sheets/cellar-pad.sheet.toml");
    let (mine, theirs) = (std::fs::read(&own).expect("it is there"), std::fs::read(sheet).expect("it is there"));
    assert_eq!(mine, theirs);
    let again = program(&["unpack", &pack, "--use"]);
    assert!(
        again.0 == Some(2) && again.2.contains("File exists") && again.2.contains("nothing was extracted"),
        "{again:?}"
    );
    std::fs::write(&pack, "version = 1\n[[file]]\nname = \"../x.sheet.toml\"\ntext = \"\"\n").expect("written");
    let (code, _, said) = program(&["unpack", &pack, "--use"]);
    assert!(
        code == Some(2) && said.contains("evening.pack.toml:3:8: \"../x.sheet.toml\" is not a valid name"),
        "{said}"
    );
}

#[test]
fn a_table_is_reproduced_on_another_machine() {
    let place = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join("table");
    let _ = std::fs::remove_dir_all(&place);
    let own = |machine: &str| place.join(machine).join("config/placid-mantle");
    let program = |machine: &str, arguments: &[&str]| {
        let at = |part: &str| place.join(machine).join(part);
        let mut command = Command::new(env!("CARGO_BIN_EXE_placid-mantle"));
        command.args(arguments).env("HOME", place.join(machine)).env("XDG_RUNTIME_DIR", at("run"));
        let homes = command.env("XDG_CONFIG_HOME", at("config")).env("XDG_STATE_HOME", at("state"));
        let output = homes.output().expect("it runs");
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        (output.status.code(), text(&output.stdout), text(&output.stderr))
    };
    for (file, text) in [
        ("profiles/ferry.profile.toml", "version = 1\nname = \"ferry\"\n"),
        ("settings.toml", "version = 1\n"),
        (
            "slots.toml",
            "version = 1\n[[slot]]\nnumber = 2\nprofile = \"ferry\"\n[[slot.device]]\nname = \"Quay pad\"\nbus = 3\n\
             vendor = 4617\nproduct = 2562\nserial = \"Q7\"\nport = \"1-2\"\n",
        ),
    ] {
        let path = own("first").join(file);
        std::fs::create_dir_all(path.parent().expect("it has one")).expect("made");
        std::fs::write(path, text).expect("written");
    }
    std::fs::create_dir_all(place.join("second/run")).expect("made");
    std::fs::create_dir_all(place.join("first/run")).expect("made");
    let pack = place.join("evening.pack.toml").display().to_string();
    let made = program("first", &["pack", &pack, "--table"]);
    assert_eq!(made.0, Some(0), "{made:?}");
    assert!(!std::fs::read_to_string(&pack).expect("it is there").contains("Q7"), "no serial number");
    let (_, said, _) = program("second", &["unpack", &pack]);
    assert!(said.contains("slot 2: Quay pad at 1-2, common pad, profile ferry"), "{said}");
    let alone = program("second", &["unpack", &pack, "--use"]);
    assert!(alone.0 == Some(2) && alone.2.contains("--use --table"), "{alone:?}");
    assert!(!own("second").exists(), "nothing was extracted");

    let (code, said, _) = program("second", &["unpack", &pack, "--use", "--table"]);
    assert!(code == Some(0) && said.contains("new") && said.contains("slots.toml"), "{said}");
    let slots = std::fs::read_to_string(own("second").join("slots.toml")).expect("it is there");
    assert!(slots.contains("port = \"1-2\"") && slots.contains("profile = \"ferry\""), "{slots}");
    let (code, said, _) = program("second", &["unpack", &pack, "--use", "--table"]);
    assert!(code == Some(0) && said.contains("Nothing changes"), "{said}");

    // Somebody has changed a profile since: it is replaced, and kept.
    std::fs::write(own("second").join("profiles/ferry.profile.toml"), "version = 1\nname = \"ferry\"\n# theirs\n")
        .expect("written");
    let (code, said, _) = program("second", &["unpack", &pack, "--use", "--table"]);
    // The first time, it was noted under 1 which files were new.
    let kept = place.join("second/state/placid-mantle/replaced/2/profiles/ferry.profile.toml");
    assert!(code == Some(0) && said.contains(&format!("replaced, and kept as {}", kept.display())), "{said}");
    assert!(std::fs::read_to_string(kept).expect("it is kept").contains("# theirs"));
}
