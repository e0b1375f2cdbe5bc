//! A node, as a case has it.

use crate::device::{Bus, Connection, Driven, Driver, Identity, NodeFacts, NodeId, NodeKind};
use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// What is known of a node without opening it, as plain values.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CaseNode {
    /// Its number.
    pub node: NodeId,
    /// Its path.
    pub path: String,
    /// The system's name of the device.
    pub name: String,
    /// Bus type of the Linux input system: 3 is USB, 5 Bluetooth.
    pub bus: u16,
    /// Vendor id.
    pub vendor: u16,
    /// Product id.
    pub product: u16,
    /// Device version.
    pub release: u16,
    /// Serial number or address; empty if there is none.
    #[serde(default)]
    pub serial: String,
    /// Physical path.
    #[serde(default)]
    pub phys: String,
    /// USB port path.
    pub port: Option<String>,
    /// Interface number.
    pub interface: Option<u8>,
    /// Whether it is an input node, whose events are laid out as reports.
    #[serde(default)]
    pub input_node: bool,
    /// The kernel driver that serves it; none if nobody does.
    pub driver: Option<String>,
    /// Its report descriptor in hex.
    pub descriptor: String,
    /// The input nodes that the kernel made for it.
    #[serde(default)]
    pub inputs: Vec<String>,
    /// What the driver offers besides input.
    #[serde(default)]
    pub driven: Driven,
    /// How often the device asks to be polled, in microseconds.
    pub interval: Option<u64>,
    /// The kernel's parameter for that, and its value.
    pub asks: Option<(String, u32)>,
    /// How many hubs lie between it and the computer.
    #[serde(default)]
    pub hubs: u8,
    /// Whether the kernel may suspend it.
    #[serde(default)]
    pub rests: bool,
    /// Its place under `/sys`.
    #[serde(default)]
    pub sysfs: String,
}

impl CaseNode {
    /// A node's facts as plain values.
    #[must_use]
    pub fn of(facts: &NodeFacts) -> Self {
        let (identity, connection) = (&facts.identity, &facts.connection);
        Self {
            node: facts.id,
            path: facts.path.clone(),
            name: identity.system_name().to_owned(),
            bus: identity.bus.0,
            vendor: identity.vendor,
            product: identity.product,
            release: identity.version,
            serial: identity.uniq.clone(),
            phys: identity.phys.clone(),
            port: identity.port.clone(),
            interface: identity.interface,
            input_node: facts.is_input_node(),
            driver: match &facts.driver {
                Driver::Generic => Some(Driver::GENERIC.to_owned()),
                Driver::Named(name) => Some(name.clone()),
                Driver::InputNode | Driver::Recording => None,
            },
            descriptor: mantle_hid::bits::hex(&facts.descriptor),
            inputs: facts.inputs.clone(),
            driven: facts.driven.clone(),
            interval: connection.interval.map(|interval| interval.0),
            asks: connection.asks.clone(),
            hubs: connection.hubs,
            rests: connection.rests,
            sysfs: facts.sysfs.clone(),
        }
    }

    /// The facts; none if the descriptor is not bytes in hex.
    #[must_use]
    pub fn facts(&self) -> Option<NodeFacts> {
        let descriptor = mantle_hid::bits::from_hex(&self.descriptor)?;
        let kind = if self.input_node { NodeKind::Input } else { NodeKind::Reports };
        Some(NodeFacts {
            id: self.node,
            path: self.path.clone(),
            identity: Identity {
                bus: Bus(self.bus),
                vendor: self.vendor,
                product: self.product,
                version: self.release,
                name: self.name.clone(),
                system_name: None,
                uniq: self.serial.clone(),
                phys: self.phys.clone(),
                port: self.port.clone(),
                interface: self.interface,
                descriptor_hash: Identity::hash_descriptor(&descriptor),
            },
            kind,
            driver: match (&self.driver, kind) {
                (Some(name), _) => Driver::named(name),
                (None, NodeKind::Input) => Driver::InputNode,
                (None, NodeKind::Reports) => Driver::Recording,
            },
            descriptor,
            inputs: self.inputs.clone(),
            driven: self.driven.clone(),
            connection: Connection {
                interval: self.interval.map(Micros),
                asks: self.asks.clone(),
                hubs: self.hubs,
                rests: self.rests,
            },
            sysfs: self.sysfs.clone(),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_node_survives_the_round_trip() {
        let facts = NodeFacts {
            id: NodeId(3),
            path: "/dev/hidraw3".into(),
            identity: Identity {
                bus: Bus::USB,
                vendor: 0x1209,
                product: 0x0a02,
                version: 0x0110,
                name: "Quay pad".into(),
                system_name: None,
                uniq: "Q7".into(),
                phys: "usb-1/input1".into(),
                port: Some("1-2".into()),
                interface: Some(1),
                descriptor_hash: Identity::hash_descriptor(&[5, 1, 9, 5]),
            },
            kind: NodeKind::Reports,
            driver: Driver::Named("quay".into()),
            descriptor: vec![5, 1, 9, 5],
            inputs: vec!["/dev/input/event7".into()],
            driven: Driven { power: Some("q".into()), ..Driven::default() },
            connection: Connection {
                interval: Some(Micros::millis(8)),
                asks: Some(("usbhid.jspoll".into(), 0)),
                hubs: 1,
                rests: true,
            },
            sysfs: "/sys/q".into(),
        };
        assert_eq!(CaseNode::of(&facts).facts().as_ref(), Some(&facts));
        let input = NodeFacts { kind: NodeKind::Input, driver: Driver::InputNode, ..facts.clone() };
        assert_eq!(CaseNode::of(&input).facts(), Some(input));
        // A nickname stays at home; the system's name goes along.
        let mut called = facts.clone();
        (called.identity.name, called.identity.system_name) = ("Ann's".into(), Some("Quay pad".into()));
        assert_eq!(CaseNode::of(&called).facts(), Some(facts));
        assert_eq!(CaseNode { descriptor: "5x".into(), ..CaseNode::of(&called) }.facts(), None);
    }
}
