//! Templates, each tried on the demo's devices: what leaves their pads, and what is typed, while hands move them.

use std::path::PathBuf;
use std::process::Command;

/// A flight stick with everything a wheel has.
const WHEEL: &str = "kind = \"flight stick\"\naxes = [\"X\", \"Y\", \"wheel\", \"gas\", \"brake\"]";

/// The frames of slot 1 in ten seconds of a scene in which these devices are one player with this template.
fn frames(template: &str, kind: &str, devices: &[&str]) -> String {
    let scene = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("template-{template}.scene.toml"));
    let mut text = format!(
        "version = 1\ntitle = \"{template}\"\n[[profile]]\nname = \"tried\"\nagreed = true\nlike = \"{template}\"\n"
    );
    for (at, device) in devices.iter().enumerate() {
        text +=
            &format!("[[device]]\nfile = \"{device}\"\nport = \"1-{at}\"\nslots = [1]\nprofile = \"tried\"\n{kind}\n");
    }
    std::fs::write(&scene, text).expect("a scene");
    let output = Command::new(env!("CARGO_BIN_EXE_placid-mantle"))
        .args(["demo", "--headless", "--for", "10", "--scene"])
        .arg(&scene)
        .output()
        .expect("it starts");
    assert!(output.status.success(), "{template}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).expect("text")
}

#[test]
fn every_template_plays_as_described() {
    // The template, the kind of pad if it is not the common one, the devices, and what must have left: codes of the Linux input interface.
    let keys = "kind = \"keys\"";
    let cases: [(&str, &str, &[&str], &[&str]); 9] = [
        ("driving", "", &["helm-wheel", "keel-pedals"], &["abs:0x00=", "abs:0x05=", "abs:0x02="]),
        ("flying", "", &["kestrel-puck"], &["abs:0x00="]),
        ("pointing", "", &["gull-mouse"], &["abs:0x03=", "abs:0x04="]),
        ("one-handed", "", &["quay-pad"], &["abs:0x00="]),
        ("keys-only", keys, &["quay-pad"], &["keys key:0x039=1", "keys rel:0x01="]),
        ("touch-mouse", keys, &["slipway-slate"], &["keys rel:0x00=", "keys key:0x110=1"]),
        ("flight-stick", "kind = \"flight stick\"", &["kestrel-puck"], &["abs:0x00=", "key:0x120=1"]),
        ("driving-wheel", WHEEL, &["helm-wheel", "keel-pedals"], &["abs:0x08=", "abs:0x09=", "abs:0x0a="]),
        (
            "keypad-motion",
            "kind = \"motion pad\"",
            &["reed-keypad", "lantern-right"],
            &["abs:0x00=", "abs:0x03=", "key:0x130=1"],
        ),
    ];
    let mut wrong = Vec::new();
    for (template, kind, devices, codes) in cases {
        let said = frames(template, kind, devices);
        for code in codes.iter().filter(|code| !said.contains(**code)) {
            let few: Vec<&str> = said.lines().take(12).collect();
            wrong.push(format!("{template}: {code} never left:\n{}", few.join("\n")));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}
