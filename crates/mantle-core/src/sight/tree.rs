//! The list as a game reads it, and whose each entry is.

use super::look::{Look, Maker, Program, SeenNode};
use super::rows::RowStanding;
use super::takes::Takes;
use crate::cover::Cover;
use crate::device::DeviceId;
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// Whose an input device is.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub enum Whose {
    /// The machine's: nobody's here.
    #[default]
    Nobody,
    /// The pad of a slot.
    Pad(SlotNumber),
    /// What a slot types through, or what is passed on from a held device.
    Ours,
    /// A device, by number and name, of this slot.
    Device(DeviceId, String, Option<SlotNumber>),
    /// The pad of another one of our engines.
    OtherEngine,
    /// Made by a program, which is named if it can be determined.
    Program(Option<String>),
}

/// Whose a node is, according to the table.
#[derive(Clone, PartialEq, Debug)]
pub struct Owner {
    /// The node.
    pub node: String,
    /// Whose.
    pub whose: Whose,
    /// How it is covered, if it belongs to a device.
    pub cover: Cover,
}

/// A program that has an input device open.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Holder {
    /// Its name and process number.
    pub name: String,
    /// The same number.
    pub pid: u32,
    /// When it was started, in seconds from the beginning of 1970.
    pub since: Option<u64>,
    /// Whether it is a browser.
    pub browser: bool,
}

/// One input device, as games see it.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct ListedDevice {
    /// What the system calls it.
    pub name: String,
    /// Vendor and product.
    pub ids: (u16, u16),
    /// Its nodes: event, joystick, reports.
    pub nodes: Vec<String>,
    /// Whose it is.
    pub whose: Whose,
    /// How it is covered, if it belongs to a device.
    pub cover: Cover,
    /// What a game that starts now takes it for.
    pub takes: Takes,
    /// What libraries take it for that check its abilities themselves.
    pub abilities: Takes,
    /// What other libraries take it for, if that differs: some check for themselves, some go by udev's tags alone.
    pub differs: Option<Takes>,
    /// The number that a game gives it, from 1: its place among everything that it can play with and open.
    pub number: Option<u16>,
    /// The error number with which this account cannot open it.
    pub refused: Option<i32>,
    /// Whether somebody has grabbed it, if that is known.
    pub grabbed: Option<bool>,
    /// Who has it open, apart from us.
    pub holders: Vec<Holder>,
    /// Its state, considering the whole list.
    pub standing: RowStanding,
    /// That in a few words.
    pub words: String,
    /// What mends it; empty if nothing is wrong.
    pub mend: String,
}

/// The list as a game reads it that starts now.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct GameList {
    /// Every input device, starting with what a game plays with, by its numbers.
    pub list: Vec<ListedDevice>,
    /// The programs that have any of it open, or make input devices.
    pub programs: Vec<Program>,
    /// Processes that could not be inspected.
    pub closed: u32,
    /// Whether games' libraries go by udev's database.
    pub udev: bool,
    /// When this was read, in seconds from the beginning of 1970.
    pub at: Option<u64>,
}

impl GameList {
    /// The list of one look.
    #[must_use]
    pub fn of(look: &Look, owners: &[Owner]) -> Self {
        let mut list: Vec<(ListedDevice, (String, u32), String)> = Vec::new();
        for node in &look.nodes {
            // Event and joystick nodes of one input device are one entry; a device that sends reports and has no input device is an entry of its own.
            let own = list.iter_mut().find(|(_, _, input)| !node.input.is_empty() && *input == node.input);
            let reports = node.input.is_empty();
            let same_device = |other: &SeenNode| !other.input.is_empty() && other.device == node.device;
            if let Some((entry, order, _)) = own {
                entry.add(node, order);
            } else if !(reports && look.nodes.iter().any(same_device)) {
                let (mut entry, mut order) = (ListedDevice::default(), (String::new(), u32::MAX));
                entry.add(node, &mut order);
                list.push((entry, order, node.input.clone()));
            }
        }
        for reports in look.nodes.iter().filter(|node| node.input.is_empty()) {
            let of_it = |input: &str| look.nodes.iter().any(|own| own.input == input && own.device == reports.device);
            let places = || list.iter().enumerate().filter(|(_, (.., input))| !input.is_empty() && of_it(input));
            let pad = places().find(|(_, (entry, ..))| entry.takes.is_pad()).or_else(|| places().next());
            if let Some(at) = pad.map(|(at, _)| at) {
                list[at].0.nodes.push(reports.path.clone());
            }
        }
        for (entry, _, input) in &mut list {
            let first = look.nodes.iter().find(|node| entry.nodes.contains(&node.path));
            if let Some(first) = first {
                (entry.whose, entry.cover) = whose(entry, first, look, owners);
            }
            debug_assert!(first.is_some(), "{input}: an entry has nodes");
            entry.holders = holders(&entry.nodes, &look.programs);
        }
        // The common library first checks for itself, by the numbers of nodes; after those it lists what only udev calls a joystick, in udev's order
        // of devices, which is that of their places (measured).
        list.sort_by_cached_key(|(entry, (place, number), _)| match look.udev && !entry.abilities.is_pad() {
            true => (true, place.clone(), 0),
            false => (false, String::new(), *number),
        });
        let mut list: Vec<ListedDevice> = list.into_iter().map(|(entry, ..)| entry).collect();
        let listed = |entry: &ListedDevice| entry.takes.is_pad() && entry.refused.is_none() && entry.is_of_events();
        for (entry, number) in list.iter_mut().filter(|entry| listed(entry)).zip(1..) {
            entry.number = Some(number);
        }
        let rank = |entry: &ListedDevice| match (entry.number, entry.takes) {
            (Some(number), _) => (0, number),
            (None, takes) if takes.is_pad() => (1, 0),
            _ => (2, 0),
        };
        list.sort_by_key(rank);
        Self { list, programs: look.programs.clone(), closed: look.closed, udev: look.udev, at: look.at }
    }

    /// The pad of a slot.
    #[must_use]
    pub fn pad_of(&self, slot: SlotNumber) -> Option<&ListedDevice> {
        let mut pads = self.list.iter().filter(|entry| entry.whose == Whose::Pad(slot));
        // A pad of several nodes is listed by the node of its buttons.
        pads.clone().find(|entry| entry.takes.is_pad()).or_else(|| pads.next())
    }

    /// The input devices of a device.
    pub fn of_device(&self, device: DeviceId) -> impl Iterator<Item = &ListedDevice> {
        self.list.iter().filter(move |entry| matches!(entry.whose, Whose::Device(id, ..) if id == device))
    }

    /// What a game plays with, in its order.
    pub fn played(&self) -> impl Iterator<Item = &ListedDevice> {
        self.list.iter().filter(|entry| entry.number.is_some())
    }
}

impl ListedDevice {
    fn add(&mut self, node: &SeenNode, order: &mut (String, u32)) {
        let event = node.event_number();
        if self.nodes.is_empty() || event.is_some() {
            let takes = node.takes();
            // Libraries that go by tags alone ignore what has none.
            let other = [Some(node.abilities), node.tags].into_iter().flatten().find(|other| *other != takes);
            self.differs = other;
            (self.name, self.ids, self.takes, self.abilities) = (node.name.clone(), node.ids, takes, node.abilities);
            (self.refused, self.grabbed) = (node.refused, node.grabbed);
            *order = (node.place.clone(), event.unwrap_or(u32::MAX));
        }
        // The event node stands first.
        let at = if event.is_some() { 0 } else { self.nodes.len() };
        self.nodes.insert(at, node.path.clone());
    }

    /// Whether it has an event node.
    fn is_of_events(&self) -> bool {
        self.nodes.first().is_some_and(|node| !node.starts_with("/dev/hidraw") && !node.starts_with("/dev/input/js"))
    }
}

/// Whose an entry is; if the table does not know, what its node suggests.
fn whose(entry: &ListedDevice, first: &SeenNode, look: &Look, owners: &[Owner]) -> (Whose, Cover) {
    let of = |nodes: &[String]| owners.iter().find(|owner| nodes.contains(&owner.node));
    if let Some(owner) = of(&entry.nodes) {
        return (owner.whose.clone(), owner.cover.clone());
    }
    // Whatever belongs to one device has the same owner.
    let beside = look.nodes.iter().filter(|node| node.device == first.device);
    let beside: Vec<String> = beside.map(|node| node.path.clone()).collect();
    if let Some(owner) = of(&beside) {
        return (owner.whose.clone(), owner.cover.clone());
    }
    let whose = match first.made_by {
        Maker::ThisEngine => Whose::Ours,
        Maker::OtherEngine => Whose::OtherEngine,
        Maker::Program => {
            let makers: Vec<&Program> = look.programs.iter().filter(|one| one.makes && !one.ours).collect();
            Whose::Program(if let [one] = makers.as_slice() { Some(one.title()) } else { None })
        }
        Maker::System => Whose::Nobody,
    };
    (whose, Cover::Bare)
}

/// Who has any of these nodes open, apart from us.
fn holders(nodes: &[String], programs: &[Program]) -> Vec<Holder> {
    let all = programs.iter().filter(|one| !one.ours && one.nodes.iter().any(|node| nodes.contains(node)));
    all.map(|one| Holder { name: one.title(), pid: one.pid, since: one.since, browser: one.browser }).collect()
}
