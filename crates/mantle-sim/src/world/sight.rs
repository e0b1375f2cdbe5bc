//! What a game would see of a made-up machine.

use super::{SimWorld, path_of};
use mantle_core::cover::Strength;
use mantle_core::device::{DeviceId, OsFault};
use mantle_core::pad::PadModel;
use mantle_core::path::PadFault;
use mantle_core::readiness::{ReadyDevice, ReadyFacts};
use mantle_core::sight::{Look, Maker, Program, SeenNode, Takes};
use mantle_core::slot::SlotNumber;
use mantle_core::time::Micros;
use mantle_files::SceneProgram;
use mantle_hid::usage;

/// A device that was to be covered: its number, its place in the scene, and the result, once it is known.
#[derive(Clone, Debug)]
pub(super) struct SimCover {
    pub device: DeviceId,
    pub index: usize,
    pub strength: Option<Strength>,
    pub only_held: bool,
}

/// The code of the button that makes an input device a pad.
const SOUTH: u16 = 0x130;
/// When every scene begins, in seconds from the beginning of 1970.
const BEGAN: u64 = 1_800_000_000;
/// The process number of the first program that is named without one.
const FIRST_PROCESS: u32 = 500;

/// Where devices made through uinput are, in the order of their numbers.
fn virtual_place(number: u16) -> (String, String) {
    let input = format!("/sys/devices/virtual/input/input{number}");
    (format!("{input}/event{number}"), input)
}

/// A slot's pad, as a game would find it.
#[derive(Debug)]
pub(super) struct SimPad {
    /// The slot.
    pub slot: SlotNumber,
    takes: Takes,
    title: String,
    ids: (u16, u16),
    /// Whether it is there.
    pub made: bool,
}

impl SimWorld {
    /// What the pad of a slot is to a game.
    pub(super) fn remember_pad(&mut self, slot: SlotNumber, model: &PadModel) {
        let is_pad = model.keys.iter().any(|(_, code)| *code == SOUTH);
        self.pads.retain(|own| own.slot != slot);
        self.pads.push(SimPad {
            slot,
            takes: if is_pad { Takes::Pad } else { Takes::Joystick },
            title: model.title_of(slot.number()),
            ids: (model.identity.vendor, model.identity.product),
            made: false,
        });
    }

    /// Looks at the machine as it is.
    pub(super) fn look(&self, when: Micros) -> Look {
        let mut nodes = Vec::new();
        for (index, presence) in self.present.iter().enumerate().filter(|(_, one)| one.plugged.is_some()) {
            let own = self.covered.iter().find(|own| own.index == index).and_then(|own| own.strength);
            for (interface, node) in presence.nodes.iter().enumerate() {
                let sim = &presence.device.interfaces[interface];
                let identity = presence.device.identity_of(interface);
                let device =
                    format!("/sys/devices/pci0000:00/0000:00:14.0/usb1/{}/{interface}", self.scene.device[index].port);
                let number = node.0 + 4;
                let input = format!("{device}/input/input{number}");
                let seen = SeenNode {
                    name: identity.name.clone(),
                    ids: (identity.vendor, identity.product),
                    refused: (own == Some(Strength::Hidden)).then_some(13),
                    device: device.clone(),
                    ..SeenNode::default()
                };
                let takes = takes(sim.layout.parts.iter().map(|part| part.usage));
                if takes != Takes::Nothing {
                    nodes.push(SeenNode {
                        path: format!("/dev/input/event{number}"),
                        place: format!("{input}/event{number}"),
                        input,
                        abilities: takes,
                        tags: Some(takes),
                        ..seen.clone()
                    });
                }
                let place = format!("{device}/hidraw/hidraw{}", node.0);
                nodes.push(SeenNode { path: path_of(*node), place, ..seen });
            }
        }
        for pad in self.pads.iter().filter(|pad| pad.made) {
            let slot = pad.slot;
            let (place, input) = virtual_place(20 + u16::from(slot.number()));
            nodes.push(SeenNode {
                path: format!("simulated pad {}", slot.number()),
                name: pad.title.clone(),
                ids: pad.ids,
                made_by: Maker::ThisEngine,
                device: input.clone(),
                place,
                input,
                abilities: pad.takes,
                tags: Some(pad.takes),
                ..SeenNode::default()
            });
        }
        let second = when.as_seconds();
        for (number, one) in (40..).zip(self.scene.program.iter().filter(|one| one.makes && one.runs(second))) {
            let (place, input) = virtual_place(number);
            nodes.push(SeenNode {
                path: format!("/dev/input/event{number}"),
                name: format!("pad of {}", one.name),
                ids: (0x1209, 0x00ff),
                made_by: Maker::Program,
                device: input.clone(),
                place,
                input,
                abilities: Takes::Pad,
                tags: Some(Takes::Pad),
                ..SeenNode::default()
            });
        }
        let programs = self.programs(second, &nodes);
        Look { nodes, programs, closed: 0, udev: true, at: Some(BEGAN + second as u64) }
    }

    /// How ready the machine is.
    pub(super) fn ready_facts(&self, when: Micros) -> ReadyFacts {
        let there = self.present.iter().filter(|one| one.plugged.is_some());
        let devices = there.filter_map(|presence| {
            let identity = presence.device.identity_of(0);
            Some(ReadyDevice {
                name: identity.name.clone(),
                ids: (identity.vendor, identity.product),
                node: path_of(*presence.nodes.first()?),
                denied: presence.readable_from.is_none_or(|from| when < from),
                ..ReadyDevice::default()
            })
        });
        let made = self.running(when.as_seconds()).filter(|one| one.makes);
        let translators = made.flat_map(|one| {
            let who = format!("{} ({})", one.name, one.process);
            one.opens.into_iter().map(move |device| (who.clone(), device))
        });
        ReadyFacts {
            pads: self.uinput(when),
            apart: if self.scene.machine.uhid { Ok(()) } else { Err(PadFault::NoHidNode) },
            helper_missing: self.scene.machine.cover != "hidden",
            devices: devices.collect(),
            translators: translators.collect(),
            ..ReadyFacts::default()
        }
    }

    /// A device is covered as its scene says, or that is refused.
    pub(super) fn cover(&mut self, device: DeviceId, when: Micros) -> Result<Strength, OsFault> {
        let own = self.covered.iter().find(|own| own.device == device).map(|own| own.index);
        let own = own.and_then(|index| self.scene.device[index].cover.as_deref());
        let only_held = self.covered.iter().any(|own| own.device == device && own.only_held);
        let result = match own.unwrap_or(&self.scene.machine.cover) {
            "hidden" if only_held => Ok(Strength::Held),
            "hidden" => Ok(Strength::Hidden),
            "held" => Ok(Strength::Held),
            "busy" if !self.is_open_elsewhere(device, when) => Ok(Strength::Held),
            "busy" => Err(OsFault { operation: "holding".into(), path: "its input node".into(), errno: 16 }),
            _ => Err(OsFault { operation: "open".into(), path: "its input node".into(), errno: 13 }),
        };
        if let Some(own) = self.covered.iter_mut().find(|own| own.device == device) {
            own.strength = result.as_ref().ok().copied();
        }
        result
    }

    /// Whether a program has a device open that was to be covered.
    pub(super) fn is_open_elsewhere(&self, device: DeviceId, when: Micros) -> bool {
        let index = self.covered.iter().find(|own| own.device == device).map(|own| own.index);
        let nodes = index.into_iter().flat_map(|index| &self.present[index].nodes);
        let nodes: Vec<String> =
            nodes.flat_map(|node| [path_of(*node), format!("/dev/input/event{}", node.0 + 4)]).collect();
        self.look(when).programs.iter().any(|program| program.nodes.iter().any(|node| nodes.contains(node)))
    }

    /// The programs running at a second: those that always run, and those whose time it is.
    pub(super) fn running(&self, second: f64) -> impl Iterator<Item = SceneProgram> {
        let machine = &self.scene.machine;
        let always = [(&machine.games, false), (&machine.browsers, true)];
        let always = always.into_iter().flat_map(|(names, browser)| names.iter().map(move |name| (name, browser)));
        let always = always.zip(FIRST_PROCESS..).map(|((name, browser), number)| {
            let numbered = name.strip_suffix(')').and_then(|name| name.rsplit_once(" ("));
            let (name, process) = match numbered.and_then(|(name, number)| Some((name, number.parse().ok()?))) {
                Some((name, number)) => (name.to_owned(), number),
                None => (name.clone(), number),
            };
            let opens = vec![SceneProgram::PADS.to_owned()];
            SceneProgram { name, process, at: 0.0, until: None, opens, makes: false, browser, shut_in: false }
        });
        always.chain(self.scene.program.iter().filter(move |one| one.runs(second)).cloned())
    }

    fn programs(&self, second: f64, nodes: &[SeenNode]) -> Vec<Program> {
        let all = self.running(second);
        all.map(|one| {
            let opens = |node: &&SeenNode| {
                let pad =
                    node.abilities.is_pad() && node.refused.is_none() && node.name != format!("pad of {}", one.name);
                one.opens.iter().any(|what| *what == node.name || (what == SceneProgram::PADS && pad))
            };
            Program {
                pid: one.process,
                name: one.name.clone(),
                since: Some(BEGAN + one.at as u64),
                nodes: nodes.iter().filter(opens).map(|node| node.path.clone()).collect(),
                makes: one.makes,
                browser: one.browser,
                own_dev: one.shut_in.then(Vec::new),
                ours: false,
            }
        })
        .collect()
    }
}

/// What the kernel makes of a device, according to its reports.
fn takes(parts: impl Iterator<Item = mantle_hid::Usage>) -> Takes {
    let one = |part: mantle_hid::Usage| match part {
        usage::GAME_PAD => Takes::Pad,
        usage::JOYSTICK | usage::MULTI_AXIS => Takes::Joystick,
        usage::MOUSE | usage::POINTER => Takes::Mouse,
        usage::KEYBOARD | usage::KEYPAD => Takes::Keys,
        _ => Takes::Nothing,
    };
    parts.map(one).max_by_key(|takes| (takes.is_pad(), *takes != Takes::Nothing)).unwrap_or_default()
}
