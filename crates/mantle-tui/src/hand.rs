//! Simulated devices in hand: keys and mouse move their controls.

use crate::app::App;
use crate::hand_keys::{HandReach, reach};
use crate::in_hand::InHand;
use mantle_talk::{DeviceDetail, DeviceRow, HandKey, HandMove, Micros, NodeId, Wish};
use ratatui::crossterm::event::KeyCode;

/// No keyboard waits longer than this before it repeats a held key.
const REPEATS: Micros = Micros::millis(1000);

impl App {
    /// Takes the chosen device in hand; for a slot, all of its devices.
    pub(crate) fn take_in_hand(&mut self) {
        let Some(device) = self.device() else {
            self.message = Some("no device is chosen".into());
            return;
        };
        if !self.snapshot.header.demo {
            self.message = Some("real devices cannot be taken in hand: press a button on it".into());
            return;
        }
        let part = |device: &DeviceRow| (device.node, device.part % 8);
        let parts: Vec<(NodeId, u8)> = match self.slot_row().map(|row| row.number) {
            Some(slot) => self.snapshot.devices.iter().filter(|one| one.slot == Some(slot)).map(part).collect(),
            None => vec![part(device)],
        };
        for (node, part) in parts.iter().copied() {
            self.order(Wish::Hand { node, part, act: HandMove::Take(true) });
        }
        self.hand = Some(InHand::new(parts));
    }

    /// In the demo, takes the device in hand when a press is asked for.
    pub(crate) fn take_demo_in_hand(&mut self) {
        if self.snapshot.header.demo && self.playing().is_none() && self.hand.is_none() {
            self.take_in_hand();
        }
    }

    pub(crate) fn put_down(&mut self) {
        for (node, part) in self.hand.take().map(|hand| hand.parts).unwrap_or_default() {
            self.order(Wish::Hand { node, part, act: HandMove::Take(false) });
        }
    }

    /// Holds or releases a control while fields are being found.
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

    /// Moves the device whose fields are being found.
    pub(crate) fn hand_order(&mut self, act: HandMove) {
        if let Some((node, part)) = self.hand.as_ref().and_then(|hand| hand.parts.first().copied()) {
            self.order(Wish::Hand { node, part, act });
        }
    }

    pub(crate) fn hand_put(&mut self, (node, part): (NodeId, u8), control: u16, share: f32) {
        if let Some(hand) = &mut self.hand {
            hand.held = Some(((node, part), control));
            self.order(Wish::Hand { node, part, act: HandMove::Put { control, share } });
        }
    }

    pub(crate) fn hand_rest(&mut self) {
        if let Some(((node, part), control)) = self.hand.as_mut().and_then(|hand| hand.held.take()) {
            self.order(Wish::Hand { node, part, act: HandMove::Rest { control } });
        }
    }

    /// Replays keys that had to wait until the controls in hand were known.
    pub(crate) fn press_early_keys(&mut self) {
        let Some(hand) = &mut self.hand else { return };
        hand.pass();
        for code in std::mem::take(&mut hand.early) {
            self.hand_key(code);
        }
    }

    /// Whether this key is still held from moving a device that has been put down since; then it must not act on the view.
    pub(crate) fn repeats_in_hand(&mut self, code: KeyCode) -> bool {
        let now = self.snapshot.now;
        self.moved_by = self.moved_by.filter(|(own, at)| *own == code && now.since(*at) < REPEATS).map(|_| (code, now));
        self.moved_by.is_some()
    }

    /// The details of the devices in hand, as far as they have arrived.
    pub(crate) fn in_hand_closely(&self) -> Vec<&DeviceDetail> {
        let Some(hand) = &self.hand else { return Vec::new() };
        let own = |device: &&DeviceDetail| hand.parts.contains(&(device.node, device.part % 8));
        self.snapshot.detail.devices().iter().filter(own).collect()
    }

    /// Handles a key while devices are in hand: a control's own key, or space, + and - for the chosen control. Terminals report no
    /// releases, so each key is a short press; a held key repeats.
    pub(crate) fn hand_key(&mut self, code: KeyCode) {
        let devices = self.in_hand_closely();
        if devices.is_empty() {
            // The devices were just chosen; their details are on the way.
            if let Some(hand) = &mut self.hand {
                hand.early.push(code);
            }
            return;
        }
        let all: Vec<(usize, u16, String)> = devices
            .iter()
            .enumerate()
            .flat_map(|(at, device)| device.controls.iter().map(move |one| (at, one.number, one.kind.clone())))
            .filter(|(.., kind)| kind != "state")
            .collect();
        let places: Vec<(NodeId, u8)> = devices.iter().map(|device| (device.node, device.part % 8)).collect();
        let reached = reach(&devices).into_iter().find(|own| own.code == code);
        let raw = |at: usize, number: u16| {
            devices[at].controls.iter().find(|one| one.number == number).map(|one| (one.share, one.active))
        };
        let chosen = self.hand.as_ref().map_or(0, |hand| hand.chosen % all.len().max(1));
        let Some((at, number, kind)) = all.get(chosen).cloned() else { return };
        let tap = match (reached, code) {
            (Some(HandReach { control, share, .. }), _) => (control, share),
            (None, KeyCode::Char(sign @ ('.' | ','))) => {
                let by = if sign == '.' { 1 } else { all.len() - 1 };
                if let Some(hand) = &mut self.hand {
                    hand.chosen = (chosen + by) % all.len();
                }
                return;
            }
            // A hat goes around: up, right, down, left.
            (None, KeyCode::Char(' ')) if kind == "hat" => {
                let now = raw(at, number).filter(|(_, active)| *active).map_or(0.0, |(share, _)| share);
                ((at, number), ((now * 4.0).floor() * 0.25 + 0.25) % 1.0)
            }
            (None, KeyCode::Char(' ' | '+')) => ((at, number), 1.0),
            (None, KeyCode::Char('-')) => ((at, number), 0.0),
            (None, _) => return,
        };
        let ((at, control), share) = tap;
        let (node, part) = places[at];
        self.order(Wish::Hand { node, part, act: HandMove::Tap { control, share } });
    }
}
