//! The open mapping line by which the common game library knows a controller: printed for our pads, and read as a starting
//! point for a device.
//!
//! `GUID,NAME,a:b0,leftx:a0,dpup:h0.1,...`: the library's name of a control, and the device's: `bN` a button, `aN` an axis
//! (`+aN`, `-aN` half of one, a trailing `~` inverts it), `hN.M` a hat's direction. Buttons and axes are counted from 0 in the
//! order of their event codes.

use mantle_core::binding::Change;
use mantle_core::control::{Control, ControlKind, PartLayout};
use mantle_core::pad::{PadIdentity, PadModel, PadTarget, TARGETS};
use std::fmt::Write;

/// The library's names, and the matching targets; for an axis, both directions.
const NAMES: [(&str, &[PadTarget]); 21] = {
    use PadTarget::*;
    [
        ("a", &[South]),
        ("b", &[East]),
        ("x", &[West]),
        ("y", &[North]),
        ("back", &[Select]),
        ("guide", &[Mode]),
        ("start", &[Start]),
        ("leftstick", &[LeftStickPress]),
        ("rightstick", &[RightStickPress]),
        ("leftshoulder", &[LeftShoulder]),
        ("rightshoulder", &[RightShoulder]),
        ("dpup", &[Up]),
        ("dpdown", &[Down]),
        ("dpleft", &[Left]),
        ("dpright", &[Right]),
        ("leftx", &[LeftStickLeft, LeftStickRight]),
        ("lefty", &[LeftStickUp, LeftStickDown]),
        ("rightx", &[RightStickLeft, RightStickRight]),
        ("righty", &[RightStickUp, RightStickDown]),
        ("lefttrigger", &[LeftTrigger]),
        ("righttrigger", &[RightTrigger]),
    ]
};

/// Directions of a hat, as the line counts them.
const DIRECTIONS: [(u32, &str); 4] = [(1, "up"), (2, "right"), (4, "down"), (8, "left")];

/// Usages of absolute axes in the order of the event codes that the kernel gives them: X Y Z Rx Ry Rz, slider and throttle,
/// rudder, wheel and steering, accelerator, brake.
const AXES: [u32; 13] = [
    0x0001_0030,
    0x0001_0031,
    0x0001_0032,
    0x0001_0033,
    0x0001_0034,
    0x0001_0035,
    0x0001_0036,
    0x0002_00bb,
    0x0002_00ba,
    0x0001_0038,
    0x0002_00c8,
    0x0002_00c4,
    0x0002_00c5,
];

fn guid(identity: &PadIdentity) -> String {
    let mut out = String::new();
    for number in [identity.bus, identity.vendor, identity.product, identity.version] {
        let [low, high] = number.to_le_bytes();
        let _ = write!(out, "{low:02x}{high:02x}0000");
    }
    out
}

/// The line for one of our pads; controls it lacks are left out.
#[must_use]
pub fn line(model: &PadModel, name: &str) -> String {
    let mut out = format!("{},{name},", guid(&model.identity));
    for (word, targets) in NAMES.iter().filter(|(_, targets)| model.has(targets[0])) {
        let index = model.game_index(targets[0]);
        let place = match index.split_once(' ') {
            Some(("button", number)) => format!("b{number}"),
            Some(("axis", number)) => format!("a{}", number.trim_end_matches(['+', '-'])),
            _ => {
                let direction = DIRECTIONS.iter().find(|(_, direction)| index.ends_with(direction));
                format!("h0.{}", direction.map_or(0, |(bit, _)| *bit))
            }
        };
        let _ = write!(out, "{word}:{place},");
    }
    out + "platform:Linux,"
}

/// What a line says about a device, as changes of a profile; and what could not be used, in words.
///
/// # Errors
/// It is not such a line.
pub fn read(line: &str, part: &PartLayout) -> Result<(Vec<Change>, Vec<String>), String> {
    let mut fields = line.trim().trim_end_matches(',').split(',');
    let guid = fields.next().unwrap_or_default().trim();
    let is_guid = guid.len() == 32 && guid.bytes().all(|byte| byte.is_ascii_hexdigit());
    if !is_guid && guid != "*" {
        return Err(
            "a mapping line starts with 32 hex digits, followed by a name and NAME:PLACE pairs, separated by commas"
                .into(),
        );
    }
    let name = fields.next().ok_or("nothing follows its number")?;
    let (mut changes, mut left) = (Vec::new(), Vec::new());
    for field in fields.map(str::trim).filter(|field| !field.is_empty()) {
        let Some((word, place)) = field.split_once(':') else {
            left.push(format!("{field}: expected NAME:PLACE"));
            continue;
        };
        if matches!(word, "platform" | "crc" | "type" | "face" | "hint") || word.starts_with("sdk") {
            continue;
        }
        match pair(word, place, part) {
            Ok(own) => changes.extend(own),
            Err(why) => left.push(format!("{field}: {why}")),
        }
    }
    if changes.is_empty() {
        return Err(format!("nothing in the line for {name} fits this device: {}", left.join("; ")));
    }
    Ok((changes, left))
}

/// What one pair says.
fn pair(word: &str, place: &str, part: &PartLayout) -> Result<Vec<Change>, String> {
    // Half of an axis of the pad may be meant.
    let (half, bare) = match word.as_bytes().first() {
        Some(b'+') => (Some(1), &word[1..]),
        Some(b'-') => (Some(0), &word[1..]),
        _ => (None, word),
    };
    let found = NAMES.iter().find(|(name, _)| *name == bare);
    let (_, targets) = found.ok_or_else(|| format!("our pad has no {bare}"))?;
    let targets: Vec<PadTarget> = match half {
        Some(at) => targets.get(at).into_iter().copied().collect(),
        None => targets.to_vec(),
    };
    let sources = sources(place, part, targets.len() == 2 && half.is_none())?;
    let pairs = targets.iter().zip(sources.iter().cycle());
    let change = |(target, (source, inverted)): (&PadTarget, &(String, bool))| Change::Source {
        target: (*target).into(),
        layer: String::new(),
        source: Some(source.clone()),
        inverted: *inverted,
    };
    Ok(pairs.map(change).collect())
}

/// The sources that a place means: one or, for both directions of an axis, the lower and the upper half.
fn sources(place: &str, part: &PartLayout, both: bool) -> Result<Vec<(String, bool)>, String> {
    let backwards = place.ends_with('~');
    let bare = place.trim_end_matches('~');
    let (half, bare) = match bare.as_bytes().first() {
        Some(b'+') => ("upper half", &bare[1..]),
        Some(b'-') => ("lower half", &bare[1..]),
        _ => ("", bare),
    };
    let number = |text: &str| text.parse::<usize>().map_err(|_| format!("{text} is not a number"));
    let Some(kind) = bare.chars().next() else { return Err("its place is empty".into()) };
    match kind {
        'b' => {
            let buttons: Vec<&Control> = of_kind(part, ControlKind::Button);
            let at = number(&bare[1..])?;
            let control = buttons.get(at).ok_or_else(|| format!("the device has {} buttons", buttons.len()))?;
            Ok(vec![(control.name.clone(), false)])
        }
        'a' => {
            let mut axes: Vec<&Control> = of_kind(part, ControlKind::Axis);
            axes.retain(|control| rank(control).is_some());
            axes.sort_by_key(|control| rank(control));
            let at = number(&bare[1..])?;
            let control = axes.get(at).ok_or_else(|| format!("the device has {} axes", axes.len()))?;
            let name = &control.name;
            Ok(match (both, half) {
                (true, _) if backwards => {
                    vec![(format!("{name} upper half"), false), (format!("{name} lower half"), false)]
                }
                (true, _) => vec![(format!("{name} lower half"), false), (format!("{name} upper half"), false)],
                (false, "") => vec![(format!("{name} whole"), backwards)],
                (false, half) => vec![(format!("{name} {half}"), backwards)],
            })
        }
        'h' => {
            let (hat, bit) = bare[1..].split_once('.').ok_or("a hat's place is written h0.1")?;
            let hats: Vec<&Control> = of_kind(part, ControlKind::Hat);
            let control = hats.get(number(hat)?).ok_or_else(|| format!("the device has {} hats", hats.len()))?;
            let bit = number(bit)? as u32;
            let direction = DIRECTIONS.iter().find(|(own, _)| *own == bit).ok_or("a direction is 1, 2, 4 or 8")?;
            Ok(vec![(format!("{} {}", control.name, direction.1), false)])
        }
        _ => Err("a place begins with a, b or h".into()),
    }
}

fn of_kind(part: &PartLayout, kind: ControlKind) -> Vec<&Control> {
    let mut all: Vec<&Control> = part.controls.iter().filter(|control| control.kind == kind).collect();
    all.sort_by_key(|control| control.usage);
    all
}

fn rank(control: &Control) -> Option<usize> {
    let usage = u32::from(control.usage.page()) << 16 | u32::from(control.usage.id());
    AXES.iter().position(|own| *own == usage)
}

/// Every target that a line can mention.
#[must_use]
pub fn targets() -> Vec<PadTarget> {
    let all = NAMES.iter().flat_map(|(_, targets)| targets.iter().copied());
    let mut all: Vec<PadTarget> = all.collect();
    all.sort_by_key(|target| TARGETS.iter().position(|own| own == target));
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::control::Layout;
    use mantle_hid::Descriptor;
    use proptest::prelude::*;

    /// 12 buttons, a hat, X, Y, Z, Rz of 8 bits, brake, accelerator.
    const PAD: &[u8] = &[
        0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x0c, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
        0x95, 0x0c, 0x81, 0x02, 0x05, 0x01, 0x09, 0x39, 0x25, 0x07, 0x75, 0x04, 0x95, 0x01, 0x81, 0x42, 0x09, 0x30,
        0x09, 0x31, 0x09, 0x32, 0x09, 0x35, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x04, 0x81, 0x02, 0x05, 0x02, 0x09,
        0xc5, 0x09, 0xc4, 0x95, 0x02, 0x81, 0x02, 0xc0,
    ];

    fn part() -> PartLayout {
        Layout::new(&Descriptor::parse(PAD).expect("a good descriptor")).parts[0].clone()
    }

    /// The line that the game library itself has for a pad of this identity.
    #[test]
    fn our_pad_gets_the_librarys_own_mapping_line() {
        let line = line(&PadModel::default(), "Placid Mantle pad");
        assert!(line.starts_with("030000005e0400008e02000014010000,Placid Mantle pad,"), "{line}");
        let known = "a:b0,b:b1,back:b6,dpdown:h0.4,dpleft:h0.8,dpright:h0.2,dpup:h0.1,guide:b8,leftshoulder:b4,\
                     leftstick:b9,lefttrigger:a2,leftx:a0,lefty:a1,rightshoulder:b5,rightstick:b10,righttrigger:a5,\
                     rightx:a3,righty:a4,start:b7,x:b2,y:b3";
        for pair in known.split(',') {
            assert!(line.contains(&format!(",{pair},")), "{pair} is missing: {line}");
        }
        assert_eq!(targets(), TARGETS, "it speaks of everything that our pad has");
    }

    fn said(line: &str) -> (Vec<String>, Vec<String>) {
        let (changes, left) = read(line, &part()).expect("a good line");
        let say = |change: &Change| match change {
            Change::Source { target, source, inverted, .. } => {
                let backwards = if *inverted { " backwards" } else { "" };
                format!("{} ← {}{backwards}", target.name(), source.as_deref().unwrap_or("none"))
            }
            other => format!("{other:?}"),
        };
        (changes.iter().map(say).collect(), left)
    }

    #[test]
    fn a_mapping_line_becomes_bindings_and_missing_controls_are_reported() {
        let line = "03000000091200000a02000000010000,Sample,a:b2,leftx:a0,lefty:a1~,lefttrigger:a5~,righttrigger:+a2,\
                    dpup:h0.1,-rightx:b4,paddle1:b7,back:b40,platform:Linux,";
        let (said, left) = said(line);
        assert_eq!(
            said,
            [
                "South ← button 3",
                "left stick left ← X lower half",
                "left stick right ← X upper half",
                "left stick up ← Y upper half",
                "left stick down ← Y lower half",
                "left trigger ← brake whole backwards",
                "right trigger ← Z upper half",
                "d-pad up ← hat up",
                "right stick left ← button 5",
            ]
        );
        assert_eq!(left, ["paddle1:b7: our pad has no paddle1", "back:b40: the device has 12 buttons"]);
        assert!(read("nonsense", &part()).is_err() && read("", &part()).is_err());
    }

    proptest! {
        #[test]
        fn any_mapping_line_is_read_without_panic(text in "\\PC{0,80}", pairs in "([+-]?[a-z]{1,12}:[+-]?[abh][0-9.~]{0,6},){0,9}") {
            let _ = read(&text, &part());
            let _ = read(&format!("{}{pairs}", "0".repeat(32) + ",n,"), &part());
        }
    }
}
