//! How the state of an input node is laid out as a report.

use super::codes::{Kind, abs_usage, key_usage, rel_usage};
use super::{EvdevAxis, EvdevCaps, event};
use mantle_hid::{Usage, usage};

/// The most touch contacts that are told apart.
pub(super) const CONTACTS: usize = 5;
/// The number of key codes a node may have.
const KEY_CODES: usize = 0x300;
/// The most buttons and keys of a node: as many as a frame has bits, less those of contacts.
const KEYS: usize = 256 - CONTACTS;

/// An absolute axis's place in the report.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(super) enum AbsPlace {
    #[default]
    Nowhere,
    /// The byte at which its 32 bits begin.
    Number(u16),
    /// A direction of a hat: which hat, and whether it is vertical.
    Hat(u8, bool),
    Slot,
    TrackingId,
    ContactX,
    ContactY,
}

/// The layout of one node's report.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct NodeCapabilities {
    descriptor: Vec<u8>,
    pub(super) length: usize,
    /// The bit of each key, from 1; 0 for none.
    pub(super) keys: Box<[u16]>,
    pub(super) rels: [Option<u16>; 16],
    pub(super) abs: [AbsPlace; 64],
    /// The byte of each hat.
    pub(super) hats: Vec<u16>,
    /// The byte of each contact: its tip, then X and Y.
    pub(super) contacts: Vec<u16>,
    used: Vec<(Usage, u16, u16)>,
}

struct Writer {
    bytes: Vec<u8>,
    /// Number of bits so far.
    at: usize,
}

impl Writer {
    fn item(&mut self, prefix: u8, value: i64) {
        match value {
            -0x80..=0x7f => self.bytes.extend([prefix | 1, value as u8]),
            -0x8000..=0x7fff => {
                self.bytes.push(prefix | 2);
                self.bytes.extend((value as i16).to_le_bytes());
            }
            _ => {
                self.bytes.push(prefix | 3);
                self.bytes.extend((value as i32).to_le_bytes());
            }
        }
    }

    /// A usage with its page.
    fn usage(&mut self, usage: Usage) {
        self.bytes.push(0x0b);
        self.bytes.extend(usage.0.to_le_bytes());
    }

    /// What the following fields measure at their ends, times a power of ten.
    fn physical(&mut self, low: i64, high: i64, power: i8) {
        self.item(0x34, low);
        self.item(0x44, high);
        self.item(0x54, i64::from(power & 0x0f));
    }

    /// Adds fields of one range, one per usage. Returns the byte at which they begin.
    fn fields(&mut self, usages: &[Usage], range: (i64, i64), bits: usize, flags: u8) -> u16 {
        for usage in usages {
            self.usage(*usage);
        }
        self.item(0x14, range.0);
        self.item(0x24, range.1);
        self.item(0x74, bits as i64);
        self.item(0x94, usages.len() as i64);
        self.item(0x80, flags.into());
        let begins = self.at / 8;
        self.at += bits * usages.len();
        let rest = (8 - self.at % 8) % 8;
        if rest != 0 {
            self.item(0x74, rest as i64);
            self.item(0x94, 1);
            self.item(0x80, 3);
            self.at += rest;
        }
        begins as u16
    }
}

const VARIABLE: u8 = 2;
const RELATIVE: u8 = 6;
const NULL: u8 = 0x42;

impl NodeCapabilities {
    /// Lays out what a node offers; none if nobody would play with it.
    #[must_use]
    pub fn new(caps: &EvdevCaps, vendor: u16) -> Option<Self> {
        let kind = Kind::of(caps)?;
        let mut face = Self {
            descriptor: Vec::new(),
            length: 0,
            keys: vec![0; KEY_CODES].into(),
            rels: [None; 16],
            abs: [AbsPlace::default(); 64],
            hats: Vec::new(),
            contacts: Vec::new(),
            used: Vec::new(),
        };
        let mut out = Writer { bytes: Vec::new(), at: 0 };
        out.usage(kind.usage());
        out.item(0xa0, 1);
        face.add_keys(&mut out, caps, kind, vendor);
        face.add_rels(&mut out, caps);
        face.add_axes(&mut out, caps, kind);
        face.add_contacts(&mut out, caps);
        out.bytes.push(0xc0);
        face.descriptor = out.bytes;
        face.length = out.at / 8;
        // A node that claims to be something without offering it counts as nothing.
        (face.length > 0).then_some(face)
    }

    /// Its report descriptor.
    #[must_use]
    pub fn descriptor(&self) -> &[u8] {
        &self.descriptor
    }

    /// The event type and code of a usage.
    #[must_use]
    pub fn code_of(&self, usage: Usage) -> Option<(u16, u16)> {
        self.used.iter().find(|(known, ..)| *known == usage).map(|(_, kind, code)| (*kind, *code))
    }

    fn add_keys(&mut self, out: &mut Writer, caps: &EvdevCaps, kind: Kind, vendor: u16) {
        let all = caps.of(event::KEY).filter(|code| usize::from(*code) < KEY_CODES);
        let mut keys: Vec<(Usage, u16)> = all.filter_map(|code| Some((key_usage(kind, vendor, code)?, code))).collect();
        keys.sort_unstable();
        keys.dedup_by_key(|(usage, _)| *usage);
        keys.truncate(KEYS);
        if keys.is_empty() {
            return;
        }
        let usages: Vec<Usage> = keys.iter().map(|(usage, _)| *usage).collect();
        let begins = out.fields(&usages, (0, 1), 1, VARIABLE);
        for (index, (usage, code)) in keys.iter().enumerate() {
            self.keys[usize::from(*code)] = begins * 8 + index as u16 + 1;
            self.used.push((*usage, event::KEY, *code));
        }
    }

    fn add_rels(&mut self, out: &mut Writer, caps: &EvdevCaps) {
        let rels: Vec<(Usage, u16)> = caps.of(event::REL).filter_map(|code| Some((rel_usage(code)?, code))).collect();
        if rels.is_empty() {
            return;
        }
        let usages: Vec<Usage> = rels.iter().map(|(usage, _)| *usage).collect();
        let begins = out.fields(&usages, (-0x7fff_ffff, 0x7fff_ffff), 32, RELATIVE);
        for (index, (usage, code)) in rels.iter().enumerate() {
            self.rels[usize::from(*code)] = Some(begins + 4 * index as u16);
            self.used.push((*usage, event::REL, *code));
        }
    }

    fn add_axes(&mut self, out: &mut Writer, caps: &EvdevCaps, kind: Kind) {
        let axis = |code: u16| caps.axes.iter().find(|axis| axis.code == code);
        let three = |axis: &EvdevAxis| (axis.min, axis.max) == (-1, 1);
        for hat in 0..4 {
            let (x, y) = (0x10 + 2 * hat, 0x11 + 2 * hat);
            if axis(x).is_some_and(three) && axis(y).is_some_and(three) {
                let number = self.hats.len() as u8;
                self.hats.push(out.fields(&[usage::HAT], (0, 7), 4, NULL));
                self.abs[usize::from(x)] = AbsPlace::Hat(number, false);
                self.abs[usize::from(y)] = AbsPlace::Hat(number, true);
                self.used.extend([(usage::HAT, event::ABS, x), (usage::HAT, event::ABS, y)]);
            }
        }
        for axis in &caps.axes {
            let Some(usage) = abs_usage(kind, axis.code) else { continue };
            if self.abs[usize::from(axis.code)] != AbsPlace::Nowhere || axis.max <= axis.min {
                continue;
            }
            let measures = kind == Kind::Motion && axis.resolution > 0;
            if measures {
                // In thousandths of its unit, which is g or degrees per second.
                let physical = |raw: i32| i64::from(raw) * 1_000 / i64::from(axis.resolution);
                out.physical(physical(axis.min), physical(axis.max), -3);
            }
            let begins = out.fields(&[usage], (axis.min.into(), axis.max.into()), 32, VARIABLE);
            if measures {
                out.physical(0, 0, 0);
            }
            self.abs[usize::from(axis.code)] = AbsPlace::Number(begins);
            self.used.push((usage, event::ABS, axis.code));
        }
    }

    fn add_contacts(&mut self, out: &mut Writer, caps: &EvdevCaps) {
        let axis = |code: u16| caps.axes.iter().find(|axis| axis.code == code && axis.min < axis.max);
        let (Some(slots), Some(x), Some(y)) =
            (axis(event::ABS_MT_SLOT), axis(event::ABS_MT_POSITION_X), axis(event::ABS_MT_POSITION_Y))
        else {
            return;
        };
        let count = (i64::from(slots.max) + 1).clamp(0, CONTACTS as i64);
        for _ in 0..count {
            out.usage(usage::FINGER);
            out.item(0xa0, 2);
            self.contacts.push(out.fields(&[usage::TIP_SWITCH], (0, 1), 1, VARIABLE));
            out.fields(&[usage::X], (x.min.into(), x.max.into()), 32, VARIABLE);
            out.fields(&[usage::Y], (y.min.into(), y.max.into()), 32, VARIABLE);
            out.bytes.push(0xc0);
        }
        for (code, place) in [
            (event::ABS_MT_SLOT, AbsPlace::Slot),
            (event::ABS_MT_TRACKING_ID, AbsPlace::TrackingId),
            (event::ABS_MT_POSITION_X, AbsPlace::ContactX),
            (event::ABS_MT_POSITION_Y, AbsPlace::ContactY),
        ] {
            self.abs[usize::from(code)] = place;
        }
    }
}
