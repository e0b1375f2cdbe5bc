//! Assigns keys to the controls of devices in hand. The keys are the same in every view; a control without a key is
//! chosen with `.` and `,` and moved with space, `+` and `-`.

use mantle_talk::{ControlRow, DeviceDetail};
use ratatui::crossterm::event::KeyCode;

/// Keys for buttons, in the order of the controls.
const BUTTONS: &str = "1234567890qwertzuobgmnpvy";

/// A key, and what it moves.
#[derive(Clone, PartialEq, Debug)]
pub(crate) struct HandReach {
    /// The key.
    pub code: KeyCode,
    /// The device's index among those in hand, and the control's number.
    pub control: (usize, u16),
    /// The share of its range that the control moves to.
    pub share: f32,
}

/// The keys for these devices. A key that two controls want goes to the first.
pub(crate) fn reach(devices: &[&DeviceDetail]) -> Vec<HandReach> {
    let mut all: Vec<HandReach> = Vec::new();
    let mut give = |code: KeyCode, control: Option<(usize, u16)>, share: f32| {
        if let Some(control) = control.filter(|_| all.iter().all(|own| own.code != code)) {
            all.push(HandReach { code, control, share });
        }
    };
    let named = |names: &[&str]| {
        names.iter().find_map(|name| {
            let mut own = devices.iter().enumerate();
            own.find_map(|(at, device)| {
                let control = device.controls.iter().find(|one| one.name == *name && moves(one))?;
                Some((at, control.number))
            })
        })
    };
    let hat = devices
        .iter()
        .enumerate()
        .find_map(|(at, device)| device.controls.iter().find(|one| one.kind == "hat").map(|one| (at, one.number)));
    let left = (named(&["left stick X", "stick X", "X"]), named(&["left stick Y", "stick Y", "Y"]));
    let right = (named(&["right stick X", "Rx", "Z"]), named(&["right stick Y", "Ry", "Rz"]));
    for (code, eighth) in [(KeyCode::Up, 0.0), (KeyCode::Right, 0.25), (KeyCode::Down, 0.5), (KeyCode::Left, 0.75)] {
        give(code, hat, eighth);
    }
    let arrows = [KeyCode::Left, KeyCode::Right, KeyCode::Up, KeyCode::Down];
    let letters = |four: [char; 4]| four.map(KeyCode::Char);
    for (codes, pair) in [(arrows, left), (letters(['d', 'f', 'x', 'c']), left), (letters(['j', 'l', 'i', 'k']), right)]
    {
        for (at, code) in codes.into_iter().enumerate() {
            give(code, if at < 2 { pair.0 } else { pair.1 }, (at % 2) as f32);
        }
    }
    give(KeyCode::Char('a'), named(&["left trigger", "brake", "Z"]), 1.0);
    give(KeyCode::Char('s'), named(&["right trigger", "accelerator", "Rz"]), 1.0);
    let pressed = devices.iter().enumerate().flat_map(|(at, device)| {
        let own = device.controls.iter().filter(|one| matches!(one.kind.as_str(), "button" | "key"));
        own.map(move |one| (at, one.number))
    });
    for (key, control) in BUTTONS.chars().zip(pressed) {
        give(KeyCode::Char(key), Some(control), 1.0);
    }
    all
}

fn moves(control: &ControlRow) -> bool {
    !matches!(control.kind.as_str(), "state" | "button" | "key" | "hat")
}

/// The label beside a control: its keys.
pub(crate) fn label(all: &[HandReach], control: (usize, u16)) -> String {
    let own = all.iter().filter(|reach| reach.control == control).map(|reach| match reach.code {
        KeyCode::Char(key) => key,
        KeyCode::Up => '↑',
        KeyCode::Down => '↓',
        KeyCode::Left => '←',
        _ => '→',
    });
    // Two of a hat's four arrows are enough; of two sets of keys, the arrows come first.
    let keys: String = own.take(2).collect();
    if keys == "↑→" { "↑↓".to_owned() } else { keys }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_talk::{DeviceId, NodeId};

    fn device(controls: &[(&str, &str)]) -> DeviceDetail {
        let row = |(number, (name, kind)): (usize, &(&str, &str))| ControlRow {
            number: number as u16,
            name: (*name).to_owned(),
            kind: (*kind).to_owned(),
            raw: 0,
            share: 0.0,
            promised: (0, 255),
            seen: None,
            rest: None,
            calibrated: None,
            active: false,
            plays: String::new(),
        };
        DeviceDetail {
            id: DeviceId(0),
            part: 0,
            name: "Quay pad".into(),
            present: true,
            place: String::new(),
            ids: (0, 0, 0),
            serial: String::new(),
            what: String::new(),
            driver: String::new(),
            sheet: None,
            face: Default::default(),
            sensed: Vec::new(),
            nodes: Vec::new(),
            cover: String::new(),
            passes: None,
            reports: (1, 1, 0),
            last_bad: String::new(),
            controls: controls.iter().enumerate().map(row).collect(),
            unread: 0,
            node: NodeId(0),
            arriving: None,
            fields: Vec::new(),
        }
    }

    #[test]
    fn hats_sticks_and_triggers_have_separate_keys() {
        let pad = device(&[
            ("button 1", "button"),
            ("X", "axis"),
            ("Y", "axis"),
            ("Z", "axis"),
            ("Rz", "axis"),
            ("hat", "hat"),
        ]);
        let all = reach(&[&pad]);
        let labels: Vec<String> = (0..6).map(|number| label(&all, (0, number))).collect();
        assert_eq!(labels, ["1", "df", "xc", "jl", "ik", "↑↓"]);
        let codes: std::collections::HashSet<KeyCode> = all.iter().map(|reach| reach.code).collect();
        assert_eq!(codes.len(), all.len(), "no key moves two things");
    }

    #[test]
    fn without_a_hat_the_arrows_move_the_stick_and_a_mouse() {
        let mouse = device(&[("button 1", "button"), ("X", "relative"), ("Y", "relative")]);
        let all = reach(&[&mouse]);
        assert_eq!(label(&all, (0, 1)), "←→");
        assert_eq!(label(&all, (0, 2)), "↑↓");
    }

    #[test]
    fn each_of_several_devices_has_its_keys() {
        let keypad = device(&[("button 1", "button"), ("X", "axis"), ("Y", "axis")]);
        let pedals = device(&[("accelerator", "axis"), ("brake", "axis"), ("button 1", "button")]);
        let all = reach(&[&keypad, &pedals]);
        assert_eq!(label(&all, (1, 0)), "s");
        assert_eq!(label(&all, (1, 1)), "a");
        assert_eq!((label(&all, (0, 0)), label(&all, (1, 2))), ("1".into(), "2".into()));
    }
}
