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
    // A short report gives what is whole in it; an empty one, and one that is no hex, are refused.
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
fn mistakes_are_answered_in_words_and_with_2() {
    let cases: [(&[&str], &str); 4] = [
        (&["demo", "--scene", "nobody-knows"], "there are: all-well"),
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
fn a_broken_scene_file_is_pointed_at() {
    let path = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join("broken.scene.toml");
    std::fs::write(&path, "version = 1\ntitle = \"x\"\n[[device]]\nfile = 3\n").expect("written");
    let output = run(&["demo", "--headless", "--for", "1", "--scene", &path.display().to_string()], "");
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(2));
    assert!(said.contains("broken.scene.toml:4:8: invalid type: integer `3`, expected a string"), "{said}");
}

#[test]
fn devices_and_setup_speak_to_scripts() {
    let output = run(&["devices", "--json"], "");
    let rows: serde_json::Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert!(rows.is_array());
    let output = run(&["setup", "--print", "1209:0a02"], "");
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(said.contains("70-placid-mantle.rules") && said.contains("KERNELS==\"*:1209:0A02.*\""), "{said}");
}
