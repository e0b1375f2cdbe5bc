//! The layout of a device that is read by a sheet.

use super::vectors::{find_battery, find_sensors};
use super::{Sheet, SheetControl, Where};
use crate::control::{
    Check, Control, ControlKind, ControlNumber, Extras, Layout, Packing, PartLayout, Place, Reach, Translated,
    rest_frame,
};
use mantle_hid::{Descriptor, Plan, ReportId, ReportKind, Usage, VALUES, WORDS, Want, bits, usage};

impl Layout {
    /// The layout of a device that has a sheet. What the sheet does not name is left to the descriptor, if the sheet keeps that, or left out.
    #[must_use]
    pub fn with_sheet(descriptor: &Descriptor, sheet: &Sheet) -> Self {
        let plain = Self::new(descriptor);
        let mut builder = SheetLayoutBuilder::new(descriptor, &plain, sheet);
        for control in &sheet.controls {
            builder.add(control, &plain);
        }
        builder.finish(plain, sheet)
    }
}

struct SheetLayoutBuilder {
    numbered: bool,
    /// Reports with their lengths in bits.
    reports: Vec<(ReportId, u32)>,
    wants: Vec<Want>,
    controls: Vec<Control>,
    rests: Vec<(u8, i32)>,
    bits: u16,
    values: u8,
    unread: u32,
    extras: Extras,
}

impl SheetLayoutBuilder {
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
        Self {
            numbered,
            reports,
            wants,
            controls,
            rests: Vec::new(),
            bits,
            values,
            unread: 0,
            extras: keep.map(|plain| plain.extras.clone()).unwrap_or_default(),
        }
    }

    fn add(&mut self, control: &SheetControl, plain: &Layout) {
        match control.source {
            Where::Usage(usage) => self.add_named(control, usage, plain),
            Where::Bits { report, at, size, packing, signed } => {
                let digital = matches!(control.kind, ControlKind::Button | ControlKind::Key | ControlKind::Contact);
                let bit = size == 1 && digital && control.translation.is_plain();
                let Some(place) = self.claim(report, at, size, packing, signed, bit) else {
                    self.unread += 1;
                    return;
                };
                let widest = |bits: u8| if bits >= 32 { u32::MAX } else { (1u32 << bits) - 1 };
                let full = match (control.kind, signed) {
                    (ControlKind::Button | ControlKind::Key, _) => (0, 1),
                    (_, true) => (-((widest(size - 1) as i64 + 1).min(1 << 31)) as i32, widest(size - 1) as i32),
                    (_, false) => (0, widest(size).min(i32::MAX as u32) as i32),
                };
                self.put(control, place, Usage(0), full);
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
            // It is kept; only what is said about it changes.
            let (min, max) = control.range.unwrap_or((known.min, known.max));
            let number = self.controls[at].number;
            let (name, kind, place) = (control.name.clone(), control.kind, known.place);
            let (plays, calibration, declared) = (control.plays, None, known.declared);
            let centre_unclear = known.centre_unclear && control.range.is_none();
            self.controls[at] =
                Control { number, kind, usage, name, place, min, max, declared, centre_unclear, plays, calibration };
            return;
        }
        let want = plain.wants.iter().find(|want| match (want, known.place) {
            (Want::Bit { to, .. }, Place::Bit(bit)) => *to == bit,
            (Want::Value { to, .. }, Place::Value(value)) => *to == value,
            _ => false,
        });
        let claimed = match want.copied() {
            Some(Want::Bit { report, offset, .. }) => self.claim(report.0, offset, 1, Packing::Little, false, true),
            Some(Want::Value { report, offset, width, signed, .. }) => {
                self.claim(report.0, offset, width, Packing::Little, signed, false)
            }
            _ => None,
        };
        match claimed {
            Some(place) => self.put(control, place, usage, (known.min, known.max)),
            None => self.unread += 1,
        }
    }

    fn claim(&mut self, report: u8, at: u32, size: u8, packing: Packing, signed: bool, bit: bool) -> Option<Place> {
        let id = ReportId(if self.numbered { report } else { 0 });
        let end = at.checked_add(u32::from(size))?;
        // A report that the descriptor does not have, or that is longer than it says, is as long as the sheet needs.
        match self.reports.iter_mut().find(|(known, _)| *known == id) {
            Some((_, bits)) => *bits = (*bits).max(end),
            None => self.reports.push((id, end)),
        }
        if bit {
            let to = self.bits;
            self.bits = to.checked_add(1).filter(|end| usize::from(*end) <= WORDS * 64)?;
            let offset = match packing {
                Packing::Little => at,
                Packing::Big => bits::turned(at),
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

    fn put(&mut self, control: &SheetControl, place: Place, usage: Usage, full: (i32, i32)) {
        let (min, max) = control.range.unwrap_or(full);
        let number = ControlNumber(self.controls.len() as u16 + 1);
        let place = self.translate(control, place, (min, max));
        if let (Place::Value(value), Some(rest)) = (place, control.rest) {
            let turned = min.wrapping_add(max).wrapping_sub(rest);
            self.rests.push((value, if control.translation.inverted { turned } else { rest }));
        }
        if let Some(scale) = &control.scale {
            self.extras.scales.push((number, scale.clone()));
        }
        self.controls.push(Control {
            number,
            kind: control.kind,
            usage,
            name: control.name.clone(),
            place,
            min,
            max,
            declared: number.0,
            centre_unclear: false,
            plays: control.plays,
            calibration: None,
        });
    }

    /// The place of the number that counts: a place of its own, if the raw one has to be translated.
    fn translate(&mut self, control: &SheetControl, place: Place, (min, max): (i32, i32)) -> Place {
        let Place::Value(from) = place else { return place };
        if control.translation.is_plain() || usize::from(self.values) == VALUES {
            return place;
        }
        let to = self.values;
        self.values += 1;
        let rest = match control.kind {
            ControlKind::Hat => min.checked_sub(1).unwrap_or(max.wrapping_add(1)),
            _ => control.rest.unwrap_or(min.max(0)),
        };
        let ends = min.wrapping_add(max);
        self.extras.translated.push(Translated { from, to, how: control.translation.clone(), rest, ends });
        Place::Value(to)
    }

    fn finish(mut self, plain: Layout, sheet: &Sheet) -> Layout {
        let first = plain.parts.first().map_or(usage::GAME_PAD, |part| part.usage);
        // Whatever it calls itself, a device that somebody has written a sheet for is a controller.
        let usage = if first.page() >= mantle_hid::usage::page::VENDOR_FIRST { usage::GAME_PAD } else { first };
        let mut sensors = find_sensors(&self.extras, sheet, &self.controls);
        if let Some(kept) = plain.parts.first().filter(|_| sheet.keep) {
            sensors.vectors.extend(kept.sensors.vectors.iter().cloned());
            sensors.contacts.extend(kept.sensors.contacts.iter().cloned());
        }
        self.extras.battery = find_battery(sheet, &self.controls);
        self.extras.nobody = sheet.receiver.as_ref().and_then(|receiver| receiver.find(&self.controls));
        let (controls, unread) = (self.controls, self.unread);
        let part = PartLayout { usage, controls, unread, triggers_turned: false, sensors, half: sheet.half };
        let plan = Plan::from_reports(self.numbered, &self.reports, &self.wants);
        let mut carried: Vec<(u8, u8, Place)> = self.wants.iter().map(carries).collect();
        for one in &self.extras.translated {
            let raw = carried.iter().find(|(.., place)| *place == Place::Value(one.from)).copied();
            carried.extend(raw.map(|(report, part, _)| (report, part, Place::Value(one.to))));
        }
        let reach = Reach::of_plan(&plan, &carried, std::slice::from_ref(&part));
        let mut rest = rest_frame(std::slice::from_ref(&part));
        for (value, raw) in &self.rests {
            rest.values[usize::from(*value) % VALUES] = *raw;
        }
        let checks = sheet.checks.iter().filter(|verify| verify.kind == ReportKind::Input);
        let checks = checks.map(|verify| Check { verify: *verify, numbered: self.numbered });
        Layout {
            parts: vec![part],
            wants: self.wants,
            plan,
            reach,
            rest,
            checks: checks.collect(),
            extras: self.extras,
        }
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
    use crate::control::Verify;
    use crate::measure::{Checksum, Width};
    use proptest::prelude::*;

    /// 15 bytes of vendor-defined data behind an id, as in devices that describe nothing.
    const VENDOR: &[u8] = &[
        0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x85, 0x01, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08,
        0x95, 0x0f, 0x81, 0x02, 0xc0,
    ];

    fn control(name: &str, kind: ControlKind, at: u32, size: u8, packing: Packing, signed: bool) -> SheetControl {
        let source = Where::Bits { report: 1, at, size, packing, signed };
        SheetControl { source, ..SheetControl::new(name, kind) }
    }

    #[test]
    fn packed_twelve_bit_pairs_read_in_both_orders() {
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
    fn a_checksum_is_right_or_wrong() {
        let descriptor = Descriptor::parse(VENDOR).expect("good");
        let verify = Verify {
            kind: ReportKind::Input,
            report: 1,
            checksum: Checksum::Xor { with: 0 },
            width: Width::One,
            at: 15,
            from: 1,
        };
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
    fn descriptor_controls_are_kept_renamed_or_dropped() {
        let pad = [
            0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
            0x95, 0x08, 0x81, 0x02, 0xc0,
        ];
        let descriptor = Descriptor::parse(&pad).expect("good");
        let source = Where::Usage(Usage::new(9, 3));
        let renamed = SheetControl { source, ..SheetControl::new("fire", ControlKind::Button) };
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
        /// Any field anywhere is read as stated.
        #[test]
        fn bits_are_read_as_described(
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
