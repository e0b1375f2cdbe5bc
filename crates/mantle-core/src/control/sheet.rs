//! Sheets: how one model of device is to be read, where its own description does not say or is wrong.

use super::layout::rest_frame;
use super::{Control, ControlKind, ControlNumber, Layout, PartLayout, Place, Reach};
use crate::device::Identity;
use crate::measure::{Checksum, Width};
use crate::pad::Target;
use mantle_hid::{Descriptor, Plan, ReportId, ReportKind, Usage, VALUES, WORDS, Want, usage};

/// A sheet, understood.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Sheet {
    /// The model's name.
    pub name: String,
    /// Where the sheet stands, for the person.
    pub origin: String,
    /// Which devices it is for.
    pub rule: MatchRule,
    /// Checksums of reports.
    pub checks: Vec<Verify>,
    /// Controls.
    pub controls: Vec<SheetControl>,
    /// Whether the controls that the descriptor names are kept beside those of the sheet.
    pub keep: bool,
}

/// Which devices a sheet is for: everything that is said must fit.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct MatchRule {
    /// Bus type.
    pub bus: Option<u16>,
    /// Vendor id.
    pub vendor: Option<u16>,
    /// Product ids, any of them.
    pub product: Vec<u16>,
    /// A name; `*` stands for anything.
    pub name: Option<String>,
    /// The descriptor's hash.
    pub descriptor: Option<u64>,
}

impl MatchRule {
    /// Whether a device is one that the sheet is for.
    #[must_use]
    pub fn fits(&self, identity: &Identity) -> bool {
        self.bus.is_none_or(|bus| bus == identity.bus.0)
            && self.vendor.is_none_or(|vendor| vendor == identity.vendor)
            && (self.product.is_empty() || self.product.contains(&identity.product))
            && self.name.as_deref().is_none_or(|pattern| like(pattern, &identity.name))
            && self.descriptor.is_none_or(|hash| hash == identity.descriptor_hash)
    }

    /// How much it says: of two sheets that fit, the one that says more wins.
    #[must_use]
    pub fn weight(&self) -> u32 {
        u32::from(self.bus.is_some())
            + 2 * u32::from(self.vendor.is_some())
            + 2 * u32::from(!self.product.is_empty())
            + u32::from(self.name.is_some())
            + 8 * u32::from(self.descriptor.is_some())
    }
}

/// Whether a text is like a pattern in which `*` stands for anything.
fn like(pattern: &str, text: &str) -> bool {
    let mut pieces = pattern.split('*');
    let first = pieces.next().unwrap_or_default();
    let Some(mut rest) = text.strip_prefix(first) else { return false };
    let mut last = None;
    for piece in pieces {
        if let Some(before) = last.replace(piece) {
            let Some(at) = rest.find(before) else { return false };
            rest = &rest[at + before.len()..];
        }
    }
    match last {
        None => rest.is_empty(),
        Some(end) => rest.ends_with(end),
    }
}

/// How the bits of a number stand in the bytes.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Packing {
    /// Bits are counted from the lowest of each byte, as HID does.
    #[default]
    Little,
    /// Bits are counted from the highest of each byte.
    Big,
}

/// Where a control's value comes from.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Where {
    /// From the control that the descriptor names so.
    Usage(Usage),
    /// From bits of a report.
    Bits {
        /// Report id, 0 if the device numbers none.
        report: u8,
        /// First bit behind the id byte.
        at: u32,
        /// Bits, 1 to 32.
        size: u8,
        /// How they stand.
        packing: Packing,
        /// Whether the number is signed.
        signed: bool,
    },
}

/// What a control of a sheet plays unasked.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Plays {
    /// A button of the pad, or a trigger by its travel.
    Target(Target),
    /// A stick's axis: 0 left X, 1 left Y, 2 right X, 3 right Y.
    Stick(u8),
    /// The whole d-pad, from a hat.
    DPad,
}

/// A control that a sheet names.
#[derive(Clone, PartialEq, Debug)]
pub struct SheetControl {
    /// Its name.
    pub name: String,
    /// Its kind.
    pub kind: ControlKind,
    /// Where its value comes from.
    pub source: Where,
    /// Smallest and largest raw value, if not those of the bits or of the descriptor.
    pub range: Option<(i32, i32)>,
    /// Where it rests, if not where its kind usually does.
    pub rest: Option<i32>,
    /// What it plays.
    pub plays: Option<Plays>,
}

/// A checksum that reports of an id must have.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Verify {
    /// Report id, 0 if the device numbers none.
    pub report: u8,
    /// How it is computed.
    pub checksum: Checksum,
    /// Its width.
    pub width: Width,
    /// Its first byte, the id byte counted if there is one.
    pub at: usize,
    /// The first byte that it covers; it covers all up to itself.
    pub from: usize,
}

/// A checksum ready to be verified.
#[derive(Clone, Debug)]
pub struct Check {
    /// What is verified.
    pub verify: Verify,
    numbered: bool,
}

impl Check {
    /// Whether a report, as hidraw hands it over, is another one or has the right checksum.
    #[must_use]
    pub fn holds(&self, report: &[u8]) -> bool {
        let verify = &self.verify;
        if self.numbered && report.first() != Some(&verify.report) {
            return true;
        }
        match (report.get(verify.from..verify.at), report.get(verify.at..)) {
            (Some(covered), Some(rest)) => verify.width.read(rest) == Some(verify.checksum.of(covered)),
            _ => false,
        }
    }
}

impl Layout {
    /// The layout of a device that a sheet is for. What the sheet does not name is left to the descriptor, if the sheet
    /// keeps that, or left out.
    #[must_use]
    pub fn with_sheet(descriptor: &Descriptor, sheet: &Sheet) -> Self {
        let plain = Self::new(descriptor);
        let mut builder = Builder::new(descriptor, &plain, sheet);
        for control in &sheet.controls {
            builder.add(control, &plain);
        }
        builder.finish(plain, sheet)
    }
}

struct Builder {
    numbered: bool,
    /// Reports with their lengths in bits.
    reports: Vec<(ReportId, u32)>,
    wants: Vec<Want>,
    controls: Vec<Control>,
    /// The report of each control.
    of_report: Vec<u8>,
    rests: Vec<(u8, i32)>,
    bits: u16,
    values: u8,
    unread: u32,
}

impl Builder {
    fn new(descriptor: &Descriptor, plain: &Layout, sheet: &Sheet) -> Self {
        let numbered = descriptor.numbered(ReportKind::Input);
        let reports = descriptor.reports_of(ReportKind::Input).map(|report| (report.id, report.bits)).collect();
        let keep = sheet.keep.then_some(plain);
        let wants = keep.map(|plain| plain.wants.clone()).unwrap_or_default();
        let (mut bits, mut values) = (0, 0);
        for want in &wants {
            match want {
                Want::Bit { to, .. } => bits = bits.max(to + 1),
                Want::Array { to, len, .. } => bits = bits.max(to + len),
                Want::Value { to, .. } | Want::Big { to, .. } => values = values.max(to + 1),
            }
        }
        let controls = keep.and_then(|plain| plain.parts.first()).map(|part| part.controls.clone()).unwrap_or_default();
        let of_report = vec![0; controls.len()];
        Self { numbered, reports, wants, controls, of_report, rests: Vec::new(), bits, values, unread: 0 }
    }

    fn add(&mut self, control: &SheetControl, plain: &Layout) {
        match control.source {
            Where::Usage(usage) => self.add_named(control, usage, plain),
            Where::Bits { report, at, size, packing, signed } => {
                let Some(place) = self.claim(report, at, size, packing, signed, control.kind) else {
                    self.unread += 1;
                    return;
                };
                let widest = |bits: u8| if bits >= 32 { u32::MAX } else { (1u32 << bits) - 1 };
                let full = match (control.kind, signed) {
                    (ControlKind::Button | ControlKind::Key, _) => (0, 1),
                    (_, true) => (-((widest(size - 1) as i64 + 1).min(1 << 31)) as i32, widest(size - 1) as i32),
                    (_, false) => (0, widest(size).min(i32::MAX as u32) as i32),
                };
                self.put(control, place, Usage(0), full, report);
            }
        }
    }

    /// A control that the descriptor knows already: renamed, of another kind, or with another range.
    fn add_named(&mut self, control: &SheetControl, usage: Usage, plain: &Layout) {
        let known = plain.parts.iter().flat_map(|part| &part.controls).find(|known| known.usage == usage);
        let Some(known) = known else {
            self.unread += 1;
            return;
        };
        if let Some(at) = self.controls.iter().position(|other| other.usage == usage) {
            // It is kept: only what is said of it changes.
            let (min, max) = control.range.unwrap_or((known.min, known.max));
            let number = self.controls[at].number;
            let (name, kind, place) = (control.name.clone(), control.kind, known.place);
            self.controls[at] = Control { number, kind, usage, name, place, min, max, plays: control.plays };
            return;
        }
        let want = plain.wants.iter().find(|want| match (want, known.place) {
            (Want::Bit { to, .. }, Place::Bit(bit)) => *to == bit,
            (Want::Value { to, .. }, Place::Value(value)) => *to == value,
            _ => false,
        });
        let claimed = match want.copied() {
            Some(Want::Bit { report, offset, .. }) => {
                self.claim(report.0, offset, 1, Packing::Little, false, control.kind).map(|place| (place, report.0))
            }
            Some(Want::Value { report, offset, width, signed, .. }) => self
                .claim(report.0, offset, width, Packing::Little, signed, control.kind)
                .map(|place| (place, report.0)),
            _ => None,
        };
        match claimed {
            Some((place, report)) => self.put(control, place, usage, (known.min, known.max), report),
            None => self.unread += 1,
        }
    }

    fn claim(
        &mut self,
        report: u8,
        at: u32,
        size: u8,
        packing: Packing,
        signed: bool,
        kind: ControlKind,
    ) -> Option<Place> {
        let id = ReportId(if self.numbered { report } else { 0 });
        let end = at.checked_add(u32::from(size))?;
        // A report that the descriptor does not have, or that is longer than it says, is as long as the sheet needs.
        match self.reports.iter_mut().find(|(known, _)| *known == id) {
            Some((_, bits)) => *bits = (*bits).max(end),
            None => self.reports.push((id, end)),
        }
        if size == 1 && matches!(kind, ControlKind::Button | ControlKind::Key) {
            let to = self.bits;
            self.bits = to.checked_add(1).filter(|end| usize::from(*end) <= WORDS * 64)?;
            let offset = match packing {
                Packing::Little => at,
                Packing::Big => at / 8 * 8 + 7 - at % 8,
            };
            self.wants.push(Want::Bit { report: id, offset, to });
            return Some(Place::Bit(to));
        }
        let to = self.values;
        if usize::from(to) == VALUES {
            return None;
        }
        self.values += 1;
        self.wants.push(match packing {
            Packing::Little => Want::Value { report: id, offset: at, width: size, signed, to },
            Packing::Big => Want::Big { report: id, offset: at, width: size, signed, to },
        });
        Some(Place::Value(to))
    }

    fn put(&mut self, control: &SheetControl, place: Place, usage: Usage, full: (i32, i32), report: u8) {
        let (min, max) = control.range.unwrap_or(full);
        if let (Place::Value(value), Some(rest)) = (place, control.rest) {
            self.rests.push((value, rest));
        }
        self.controls.push(Control {
            number: ControlNumber(0),
            kind: control.kind,
            usage,
            name: control.name.clone(),
            place,
            min,
            max,
            plays: control.plays,
        });
        self.of_report.push(if self.numbered { report } else { 0 });
    }

    fn finish(mut self, plain: Layout, sheet: &Sheet) -> Layout {
        for (index, control) in self.controls.iter_mut().enumerate() {
            control.number = ControlNumber(index as u16 + 1);
        }
        let first = plain.parts.first().map_or(usage::GAME_PAD, |part| part.usage);
        // Whatever it calls itself, a device that somebody has written a sheet for is a controller.
        let usage = if first.page() >= mantle_hid::usage::page::VENDOR_FIRST { usage::GAME_PAD } else { first };
        let part = PartLayout { usage, controls: self.controls, unread: self.unread };
        let plan = Plan::from_reports(self.numbered, &self.reports, &self.wants);
        let carried: Vec<(u8, u8, Place)> = self.wants.iter().map(carries).collect();
        let reach = Reach::of_plan(&plan, &carried, std::slice::from_ref(&part));
        let mut rest = rest_frame(std::slice::from_ref(&part));
        for (value, raw) in &self.rests {
            rest.values[usize::from(*value) % VALUES] = *raw;
        }
        let checks = sheet.checks.iter().map(|verify| Check { verify: *verify, numbered: self.numbered });
        Layout { parts: vec![part], wants: self.wants, plan, reach, rest, checks: checks.collect() }
    }
}

/// The report of a want, its part, and its place in the frame.
fn carries(want: &Want) -> (u8, u8, Place) {
    match *want {
        Want::Bit { report, to, .. } | Want::Array { report, to, .. } => (report.0, 0, Place::Bit(to)),
        Want::Value { report, to, .. } | Want::Big { report, to, .. } => (report.0, 0, Place::Value(to)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_hid::bits;
    use proptest::prelude::*;

    /// 15 bytes of vendor-defined data behind an id, as devices have it that say nothing.
    const VENDOR: &[u8] = &[
        0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x85, 0x01, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08,
        0x95, 0x0f, 0x81, 0x02, 0xc0,
    ];

    fn control(name: &str, kind: ControlKind, at: u32, size: u8, packing: Packing, signed: bool) -> SheetControl {
        let source = Where::Bits { report: 1, at, size, packing, signed };
        SheetControl { name: name.into(), kind, source, range: None, rest: None, plays: None }
    }

    #[test]
    fn a_pattern_is_like_a_text() {
        for (pattern, text, so) in [
            ("Cellar pad", "Cellar pad", true),
            ("Cellar pad", "Cellar pad 2", false),
            ("Cellar*", "Cellar pad", true),
            ("*pad", "Cellar pad", true),
            ("*l*r*", "Cellar pad", true),
            ("*x*", "Cellar pad", false),
            ("a*a", "a", false),
            ("*", "", true),
            ("", "x", false),
        ] {
            assert_eq!(like(pattern, text), so, "{pattern} {text}");
        }
    }

    #[test]
    fn packed_pairs_of_twelve_bits_both_ways() {
        let descriptor = Descriptor::parse(VENDOR).expect("good");
        let sheet = Sheet {
            controls: vec![
                control("x", ControlKind::Axis, 0, 12, Packing::Little, false),
                control("y", ControlKind::Axis, 12, 12, Packing::Little, false),
                control("u", ControlKind::Axis, 24, 12, Packing::Big, false),
                control("v", ControlKind::Axis, 36, 12, Packing::Big, false),
                control("south", ControlKind::Button, 48, 1, Packing::Little, false),
                control("east", ControlKind::Button, 48, 1, Packing::Big, false),
            ],
            ..Sheet::default()
        };
        let layout = Layout::with_sheet(&descriptor, &sheet);
        let mut frame = layout.rest;
        let mut report = vec![1, 0x34, 0x12, 0xab, 0xab, 0xc1, 0x23, 0b0000_0001];
        report.resize(16, 0);
        layout.plan.decode(&report, &mut frame).expect("a whole report");
        assert_eq!(frame.values[..4], [0x234, 0xab1, 0xabc, 0x123]);
        assert!(frame.bit(0) && !frame.bit(1), "the lowest bit is the little one");
        let names: Vec<&str> = layout.parts[0].controls.iter().map(|control| control.name.as_str()).collect();
        assert_eq!(names, ["x", "y", "u", "v", "south", "east"]);
        assert!(layout.parts[0].is_game_controller());
    }

    #[test]
    fn a_checksum_holds_or_does_not() {
        let descriptor = Descriptor::parse(VENDOR).expect("good");
        let verify = Verify { report: 1, checksum: Checksum::Xor { with: 0 }, width: Width::One, at: 15, from: 1 };
        let sheet = Sheet { checks: vec![verify], ..Sheet::default() };
        let check = &Layout::with_sheet(&descriptor, &sheet).checks[0];
        let mut report = vec![1u8; 16];
        report[15] = report[1..15].iter().fold(0, |all, byte| all ^ byte);
        assert!(check.holds(&report));
        report[4] ^= 1;
        assert!(!check.holds(&report) && !check.holds(&report[..15]));
        report[0] = 2;
        assert!(check.holds(&report), "another report is no concern of it");
    }

    #[test]
    fn names_of_the_descriptor_are_kept_renamed_or_left_out() {
        let pad = [
            0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
            0x95, 0x08, 0x81, 0x02, 0xc0,
        ];
        let descriptor = Descriptor::parse(&pad).expect("good");
        let renamed = SheetControl {
            name: "fire".into(),
            kind: ControlKind::Button,
            source: Where::Usage(Usage::new(9, 3)),
            range: None,
            rest: None,
            plays: None,
        };
        let only = Layout::with_sheet(&descriptor, &Sheet { controls: vec![renamed.clone()], ..Sheet::default() });
        assert_eq!(only.parts[0].controls.len(), 1);
        let mut frame = only.rest;
        only.plan.decode(&[0b100], &mut frame).expect("a report");
        assert!(frame.bit(0));
        let all = Layout::with_sheet(&descriptor, &Sheet { controls: vec![renamed], keep: true, ..Sheet::default() });
        assert_eq!(all.parts[0].controls.len(), 8);
        assert_eq!(all.parts[0].controls[2].name, "fire");
    }

    proptest! {
        /// Any field anywhere is read as it is said plainly.
        #[test]
        fn bits_are_read_as_said(
            at in 0u32..88, size in 1u8..=32, big in any::<bool>(), signed in any::<bool>(),
            bytes in prop::collection::vec(any::<u8>(), 15),
        ) {
            let descriptor = Descriptor::parse(VENDOR).expect("good");
            let packing = if big { Packing::Big } else { Packing::Little };
            let axis = control("x", ControlKind::Axis, at, size, packing, signed);
            let layout = Layout::with_sheet(&descriptor, &Sheet { controls: vec![axis], ..Sheet::default() });
            let mut frame = layout.rest;
            let mut report = vec![1];
            report.extend(&bytes);
            layout.plan.decode(&report, &mut frame).expect("a whole report");
            let bit = |n: u32| {
                let byte = bytes[(n / 8) as usize];
                u64::from(byte >> if big { 7 - n % 8 } else { n % 8 } & 1)
            };
            let mut plain = 0u64;
            for k in 0..u32::from(size) {
                plain |= if big { bit(at + k) << (u32::from(size) - 1 - k) } else { bit(at + k) << k };
            }
            let meant = if signed { bits::sign_extend(plain as u32, u32::from(size)) } else { plain as u32 as i32 };
            prop_assert_eq!(frame.values[0], meant);
            let control = &layout.parts[0].controls[0];
            prop_assert!(control.min < control.max);
        }
    }
}
