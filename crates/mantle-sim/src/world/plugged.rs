//! Devices that are plugged in, and what they send.

use super::{Due, Ready, SimWorld};
use mantle_core::device::{Driver, NodeFacts, NodeId, NodeKind};
use mantle_core::time::Micros;
use mantle_engine::Happening;

impl SimWorld {
    /// The lowest free node number, taken.
    pub(super) fn free_node(&mut self) -> NodeId {
        let index = self.nodes.iter().position(|used| !used).unwrap_or(self.nodes.len());
        if index == self.nodes.len() {
            self.nodes.push(true);
        } else {
            self.nodes[index] = true;
        }
        NodeId(index as u16)
    }

    /// The device and the interface of a node.
    pub(super) fn owner(&self, node: NodeId) -> Option<(usize, usize)> {
        self.present.iter().enumerate().find_map(|(device, presence)| {
            presence.nodes.iter().position(|other| *other == node).map(|interface| (device, interface))
        })
    }

    pub(super) fn plug(&mut self, when: Micros, index: usize) {
        if self.present[index].plugged.is_some() {
            return;
        }
        self.present[index].plugged = Some(when);
        for interface in 0..self.present[index].device.interfaces.len() {
            let node = self.free_node();
            let presence = &mut self.present[index];
            presence.nodes.push(node);
            let device = &mut presence.device;
            device.interfaces[interface].plug();
            let facts = NodeFacts {
                id: node,
                path: path_of(node),
                identity: device.identity_of(interface),
                kind: NodeKind::Reports,
                driver: Driver::named(&presence.driver),
                // Cut off in the middle of an item, if it cannot be read.
                descriptor: match self.scene.device[index].descriptor {
                    true => device.interfaces[interface].bytes.clone(),
                    false => vec![0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0xb4],
                },
                inputs: vec![format!("/dev/input/event{}", node.0 + 4)],
                driven: Default::default(),
                connection: Default::default(),
                sysfs: String::new(),
            };
            let period = Micros(1_000_000 / u64::from(device.interfaces[interface].file.rate));
            self.ready.push_back(Ready::Other(Happening::Arrived(when, Box::new(facts))));
            self.at(when.after(period), Due::Tick { device: index, interface, plugged: when });
        }
    }

    pub(super) fn tick(&mut self, when: Micros, index: usize, interface: usize, plugged: Micros) {
        let presence = &mut self.present[index];
        if presence.plugged != Some(plugged) {
            return;
        }
        let device = &mut presence.device.interfaces[interface];
        let usual = Micros(1_000_000 / u64::from(device.file.rate));
        // A silent one may speak again.
        let (period, speaks) = match self.scene.device[index].rates.as_slice() {
            [] => (usual, true),
            _ => match self.scene.device[index].rate_at(when.as_seconds()) {
                None => (usual, true),
                Some(rate) if rate > 0.0 => (Micros((1e6 / rate) as u64), true),
                Some(_) => (Micros::millis(50), false),
            },
        };
        let reports = device.reports_at(when.since(plugged), presence.hands);
        if presence.open && device.waker.is_awake() && speaks {
            for mut report in reports {
                presence.sent += 1;
                let sent = presence.sent;
                let is_one_of = |share: f64| (sent as f64 * share) as u64 > ((sent - 1) as f64 * share) as u64;
                if is_one_of(self.scene.device[index].damaged) {
                    report.pop();
                }
                if is_one_of(self.scene.device[index].lost) {
                    continue;
                }
                self.ready.push_back(Ready::Report(when, presence.nodes[interface], report));
            }
        }
        // Its lateness varies with each report, and is the same in every run.
        let jitter = (self.scene.device[index].jitter * 1000.0) as u64;
        let late = presence.sent.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 32;
        let late = Micros(late % (jitter + 1));
        self.at(when.after(period).after(late), Due::Tick { device: index, interface, plugged });
    }
}

/// What a node is called.
pub(super) fn path_of(node: NodeId) -> String {
    format!("/dev/hidraw{}", node.0)
}
