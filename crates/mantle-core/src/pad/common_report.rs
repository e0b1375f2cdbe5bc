//! The reports of the common pad as a HID device: a separate device to whatever lists devices, with the same keys and axes.

use super::model::code;
use super::state::Events;

/// Bytes of an input report; it has no id.
const LENGTH: usize = 12;
/// The codes of its buttons, by their bits.
const BUTTONS: [u16; 11] = [0x130, 0x131, 0x133, 0x134, 0x136, 0x137, 0x13a, 0x13b, 0x13c, 0x13d, 0x13e];
/// The position of each two-byte axis, by its code, and of each one-byte axis.
const STICKS: [(u16, usize); 4] = [(0, 2), (1, 4), (3, 6), (4, 8)];
const TRIGGERS: [(u16, usize); 2] = [(2, 10), (5, 11)];
/// The values of a hat by X and Y, each from -1: clockwise from up as 1; 0 in the middle.
const HAT: [[u8; 3]; 3] = [[8, 1, 2], [7, 0, 3], [6, 5, 4]];
/// How the driver's output report begins, and its largest strength.
const OUTPUT: [u8; 4] = [3, 3, 0, 0];
const STRONGEST: u32 = 100;

/// Its report descriptor. It is a multi-axis controller with a game pad inside: the codes of keys follow the inner collection, and the kernel adds
/// fuzz and a flat middle for an outer one only (measured).
const DESCRIPTOR: [u8; 110] = [
    0x05, 0x01, 0x09, 0x08, 0xa1, 0x01, 0x09, 0x05, 0xa1, 0x00, //
    // Eleven buttons, and some bits of padding.
    0x05, 0x09, 0x09, 0x01, 0x09, 0x02, 0x09, 0x04, 0x09, 0x05, 0x09, 0x07, 0x09, 0x08, 0x09, 0x0b, 0x09, 0x0c, 0x09,
    0x0d, 0x09, 0x0e, 0x09, 0x0f, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x0b, 0x81, 0x02, 0x95, 0x01, 0x81, 0x01,
    // A hat of eight directions.
    0x05, 0x01, 0x09, 0x39, 0x15, 0x01, 0x25, 0x08, 0x35, 0x00, 0x46, 0x3b, 0x01, 0x65, 0x14, 0x75, 0x04, 0x95, 0x01,
    0x81, 0x42, 0x65, 0x00, 0x45, 0x00, //
    // Two sticks of 16 bits, two triggers of 8.
    0x09, 0x30, 0x09, 0x31, 0x09, 0x33, 0x09, 0x34, 0x16, 0x00, 0x80, 0x26, 0xff, 0x7f, 0x75, 0x10, 0x95, 0x04, 0x81,
    0x02, 0x09, 0x32, 0x09, 0x35, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0xc0, 0xc0,
];

/// The input report of one common pad that is a HID device.
#[derive(Clone, Debug, Default)]
pub struct CommonReport {
    bytes: [u8; LENGTH],
    /// The hat's X and Y.
    hat: [i32; 2],
}

impl CommonReport {
    /// Its report descriptor.
    #[must_use]
    pub fn descriptor() -> Vec<u8> {
        DESCRIPTOR.to_vec()
    }

    /// The pad shows this from now on.
    pub fn take(&mut self, events: &Events) {
        for (kind, code, value) in events.iter_of(0) {
            match kind {
                code::EV_KEY => {
                    if let Some(bit) = BUTTONS.iter().position(|own| *own == code) {
                        let byte = &mut self.bytes[bit / 8];
                        *byte = *byte & !(1 << (bit % 8)) | u8::from(value != 0) << (bit % 8);
                    }
                }
                code::EV_ABS if (code::ABS_HAT0X..=code::ABS_HAT0X + 1).contains(&code) => {
                    self.hat[usize::from(code - code::ABS_HAT0X)] = value.clamp(-1, 1);
                    let [x, y] = self.hat.map(|way| (way + 1) as usize);
                    self.bytes[1] = self.bytes[1] & 0x0f | HAT[y][x] << 4;
                }
                code::EV_ABS => {
                    if let Some((_, at)) = STICKS.iter().find(|(own, _)| *own == code) {
                        let value = value.clamp(i16::MIN.into(), i16::MAX.into()) as i16;
                        self.bytes[*at..at + 2].copy_from_slice(&value.to_le_bytes());
                    } else if let Some((_, at)) = TRIGGERS.iter().find(|(own, _)| *own == code) {
                        self.bytes[*at] = value.clamp(0, 255) as u8;
                    }
                }
                _ => {}
            }
        }
    }

    /// The report as it is sent now.
    #[must_use]
    pub fn bytes(&self) -> &[u8; LENGTH] {
        &self.bytes
    }

    /// How strongly each motor shakes from now on, the strong one first, from a report of the driver; none for other reports. The driver times
    /// effects itself and says when they end, so what the report says about time is meaningless.
    #[must_use]
    pub fn back(report: &[u8]) -> Option<[u16; 2]> {
        let [strong, weak] = [*report.get(4)?, *report.get(5)?];
        let of = |share: u8| (u32::from(share).min(STRONGEST) * 0xffff / STRONGEST) as u16;
        report.starts_with(&OUTPUT).then(|| [of(strong), of(weak)])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pad::{PadState, TARGETS};
    use mantle_hid::{Descriptor, ReportKind};

    /// What the kernel makes of a report: codes of keys and axes, from the usages of its fields, and their values.
    fn read(bytes: &[u8]) -> Vec<(u16, u16, i32)> {
        let descriptor = Descriptor::parse(&DESCRIPTOR).expect("a good descriptor");
        let report = descriptor.reports_of(ReportKind::Input).next().expect("a report");
        assert_eq!(report.bytes(), LENGTH);
        let mut out = Vec::new();
        for field in &report.fields {
            for index in 0..field.count {
                let usage = field.usages.get(index).expect("it says what it is");
                let value = field.value(bytes, index).expect("it is within") as i32;
                match (usage.page(), usage.id()) {
                    (9, button) => out.push((1, 0x130 + button - 1, value)),
                    (1, 0x39) => {
                        // Up and then clockwise, from the smallest value; none outside.
                        let ways = [(0, -1), (1, -1), (1, 0), (1, 1), (0, 1), (-1, 1), (-1, 0), (-1, -1)];
                        let (x, y) =
                            value.checked_sub(1).and_then(|at| ways.get(at as usize)).copied().unwrap_or((0, 0));
                        out.extend([(3, 16, x), (3, 17, y)]);
                    }
                    (1, axis) => out.push((3, axis - 0x30, value)),
                    other => panic!("{other:?} is no control of it"),
                }
            }
        }
        out.retain(|(.., value)| *value != 0);
        out
    }

    #[test]
    fn its_descriptor_decodes_to_the_events_sent() {
        assert!(read(CommonReport::default().bytes()).is_empty(), "at rest");
        for (target, share) in TARGETS.into_iter().flat_map(|target| [(target, 1.0), (target, 0.3)]) {
            let (mut report, mut events) = (CommonReport::default(), Events::default());
            PadState::default().events_to(&PadState::only(target, share), &mut events);
            report.take(&events);
            let told: Vec<_> = events.iter_of(0).filter(|(kind, ..)| *kind != code::EV_SYN).collect();
            assert_eq!(read(report.bytes()), told, "{target:?} at {share}");
            PadState::only(target, share).events_to(&PadState::default(), &mut events);
            report.take(&events);
            assert!(read(report.bytes()).is_empty(), "{target:?} comes back");
        }
    }

    #[test]
    fn only_well_formed_driver_output_is_accepted() {
        assert_eq!(CommonReport::back(&[3, 3, 0, 0, 100, 25, 0xff, 0, 0xff]), Some([0xffff, 0x3fff]));
        assert_eq!(
            CommonReport::back(&[3, 3, 0, 0, 0, 255, 0xff, 0, 0xff]),
            Some([0, 0xffff]),
            "no stronger than that"
        );
        assert_eq!(CommonReport::back(&[3, 15, 0, 0, 0, 1, 0xff, 0, 0xff]), None);
        assert_eq!(CommonReport::back(&[3, 3, 0, 0, 9]), None);
    }
}
