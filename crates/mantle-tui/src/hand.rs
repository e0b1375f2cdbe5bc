//! A simulated device in the person's hands: their keys and mouse move its controls.

use crate::app::App;
use crate::in_hand::InHand;
use mantle_talk::{DeviceDetail, HandKey, HandMove, Wish};
use ratatui::crossterm::event::KeyCode;

impl App {
    pub(crate) fn take_in_hand(&mut self) {
        let Some((node, part)) = self.device().map(|device| (device.node, device.part % 8)) else {
            self.message = Some("no device is chosen".into());
            return;
        };
        if !self.snapshot.header.demo {
            self.message = Some("a real device is in your hands already: press something on it".into());
            return;
        }
        self.order(Wish::Hand { node, part, act: HandMove::Take(true) });
        self.hand = Some(InHand::new(node, part));
    }

    /// In the demo, where a press is asked for: the device is taken in hand, unless it is already.
    pub(crate) fn take_demo_in_hand(&mut self) {
        if self.snapshot.header.demo && self.playing().is_none() && self.hand.is_none() {
            self.take_in_hand();
        }
    }

    pub(crate) fn put_down(&mut self) {
        if let Some(InHand { node, part, .. }) = self.hand.take() {
            self.order(Wish::Hand { node, part, act: HandMove::Take(false) });
        }
    }

    /// A key while fields are found: it holds a control, or lets go of it.
    pub(crate) fn hand_hold(&mut self, code: KeyCode) {
        let key = match code {
            KeyCode::Char(letter) => HandKey::Letter(letter),
            KeyCode::Up => HandKey::Up,
            KeyCode::Right => HandKey::Right,
            KeyCode::Down => HandKey::Down,
            KeyCode::Left => HandKey::Left,
            _ => return,
        };
        self.hand_order(HandMove::Hold(key));
    }

    pub(crate) fn hand_order(&mut self, act: HandMove) {
        if let Some(InHand { node, part, .. }) = &self.hand {
            let (node, part) = (*node, *part);
            self.order(Wish::Hand { node, part, act });
        }
    }

    pub(crate) fn hand_put(&mut self, control: u16, share: f32) {
        if let Some(hand) = &mut self.hand {
            hand.held = Some(control);
            self.hand_order(HandMove::Put { control, share });
        }
    }

    pub(crate) fn hand_rest(&mut self) {
        if let Some(control) = self.hand.as_mut().and_then(|hand| hand.held.take()) {
            self.hand_order(HandMove::Rest { control });
        }
    }

    /// Another picture has come: keys that waited for the controls of the device in hand are pressed, once those are known.
    pub(crate) fn press_early_keys(&mut self) {
        let Some(hand) = &mut self.hand else { return };
        hand.pass();
        for code in std::mem::take(&mut hand.early) {
            self.hand_key(code);
        }
    }

    /// A key while a device is in hand: digits and letters are its buttons, arrows its hat or first stick, i j k l
    /// its second. A terminal reports no release, so each is a short press; held keys repeat.
    pub(crate) fn hand_key(&mut self, code: KeyCode) {
        let Some(hand) = &mut self.hand else { return };
        let own = |device: &&DeviceDetail| device.node == hand.node && device.part % 8 == hand.part;
        let Some(device) = self.snapshot.detail.devices().iter().find(own) else {
            // It was only just chosen: what is known of it closely is on its way.
            return hand.early.push(code);
        };
        let of_kind =
            |kind: &str| device.controls.iter().filter(|c| c.kind == kind).map(|c| c.number).collect::<Vec<_>>();
        let axis = |name: &str| device.controls.iter().find(|c| c.name == name && c.kind == "axis").map(|c| c.number);
        let tap = match code {
            KeyCode::Char(c) if "1234567890".contains(c) => {
                let index = "1234567890".find(c).unwrap_or(0);
                of_kind("button").get(index).map(|control| (*control, 1.0))
            }
            KeyCode::Char(c) if "qwertzuo".contains(c) => {
                let index = 10 + "qwertzuo".find(c).unwrap_or(0);
                of_kind("button").get(index).map(|control| (*control, 1.0))
            }
            KeyCode::Char('a') => axis("brake").or(axis("Z")).map(|control| (control, 1.0)),
            KeyCode::Char('s') => axis("accelerator").or(axis("Rz")).map(|control| (control, 1.0)),
            KeyCode::Char('j') => axis("Rx").or(axis("Z")).map(|control| (control, 0.0)),
            KeyCode::Char('l') => axis("Rx").or(axis("Z")).map(|control| (control, 1.0)),
            KeyCode::Char('i') => axis("Ry").or(axis("Rz")).map(|control| (control, 0.0)),
            KeyCode::Char('k') => axis("Ry").or(axis("Rz")).map(|control| (control, 1.0)),
            KeyCode::Up | KeyCode::Right | KeyCode::Down | KeyCode::Left => {
                let eighth = match code {
                    KeyCode::Up => 0.0,
                    KeyCode::Right => 0.25,
                    KeyCode::Down => 0.5,
                    _ => 0.75,
                };
                let along = if matches!(code, KeyCode::Up | KeyCode::Down) { "Y" } else { "X" };
                let end = if matches!(code, KeyCode::Right | KeyCode::Down) { 1.0 } else { 0.0 };
                of_kind("hat").first().map(|hat| (*hat, eighth)).or(axis(along).map(|control| (control, end)))
            }
            _ => None,
        };
        if let Some((control, share)) = tap {
            self.hand_order(HandMove::Tap { control, share });
        }
    }
}
