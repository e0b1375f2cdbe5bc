//! What a sheet adds to the plain reading: masks, value tables, units, vectors, battery.

use super::Sheet;
use crate::control::{Control, ControlNumber};
use mantle_hid::{Frame, VALUES};

/// How a raw number becomes the number that counts: masked first, then looked up.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Translation {
    /// The bits of it that count.
    pub mask: Option<u32>,
    /// What a raw number means; anything else is rest. Empty if it means itself.
    pub values: Vec<(i32, i32)>,
    /// Whether it runs backwards: its ends are exchanged.
    pub inverted: bool,
}

impl Translation {
    /// Whether it changes anything.
    #[must_use]
    pub fn is_plain(&self) -> bool {
        self.mask.is_none() && self.values.is_empty() && !self.inverted
    }

    /// The number that counts; none for one that the table does not know.
    #[must_use]
    pub fn of(&self, raw: i32) -> Option<i32> {
        let masked = self.mask.map_or(raw, |mask| (raw as u32 & mask) as i32);
        if self.values.is_empty() {
            return Some(masked);
        }
        self.values.iter().find(|(known, _)| *known == masked).map(|(_, meaning)| *meaning)
    }

    /// The raw number for one that counts: what a made-up device has to send.
    #[must_use]
    pub fn raw_of(&self, value: i32) -> i32 {
        self.values.iter().find(|(_, meaning)| *meaning == value).map_or(value, |(raw, _)| *raw)
    }
}

/// A translation at work in a frame.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Translated {
    /// The raw number's place.
    pub from: u8,
    /// The place of the number that counts.
    pub to: u8,
    /// How.
    pub how: Translation,
    /// What it is while nothing is known.
    pub rest: i32,
    /// Both ends of its range together: what an exchanged number is taken from.
    pub ends: i32,
}

impl Translated {
    /// The number that counts.
    #[inline]
    #[must_use]
    pub fn of(&self, raw: i32) -> i32 {
        match self.how.of(raw) {
            Some(value) if self.how.inverted => self.ends.wrapping_sub(value),
            Some(value) => value,
            None => self.rest,
        }
    }

    /// The raw number for one that counts: what a made-up device has to send.
    #[must_use]
    pub fn raw_of(&self, value: i32) -> i32 {
        self.how.raw_of(if self.how.inverted { self.ends.wrapping_sub(value) } else { value })
    }
}

/// What a raw number measures: itself times a factor, plus an offset.
#[derive(Clone, PartialEq, Debug)]
pub struct Scale {
    /// Units for each count.
    pub factor: f64,
    /// What is added, in units.
    pub offset: f64,
    /// The unit, for example `deg/s`, `g`, `%`.
    pub unit: String,
}

impl Scale {
    /// A raw number in units.
    #[must_use]
    pub fn of(&self, raw: i32) -> f64 {
        f64::from(raw) * self.factor + self.offset
    }
}

/// Three controls that are one vector, turned into the axes of the pad: right, up, towards the player.
#[derive(Clone, PartialEq, Debug)]
pub struct SheetMotion {
    /// Its name.
    pub name: String,
    /// The names of its controls.
    pub of: [String; 3],
    /// Its rows give the pad's axes by those of the device.
    pub rotation: [[f64; 3]; 3],
}

/// Controls that are one touch contact.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SheetContact {
    /// Its name.
    pub name: String,
    /// The name of the control that tells whether something touches there.
    pub touches: String,
    /// The names of the controls that tell where: across and down.
    pub at: [String; 2],
}

/// Where the battery's state stands.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SheetBattery {
    /// The name of the control that tells how full it is.
    pub level: String,
    /// The name of the one that tells whether it charges.
    pub charging: Option<String>,
}

/// What a layout has from its sheet beside its controls.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Extras {
    /// Numbers that are translated after each report.
    pub translated: Vec<Translated>,
    /// What controls measure.
    pub scales: Vec<(ControlNumber, Scale)>,
    /// Vectors: their names, controls and rotations.
    pub motions: Vec<(String, [Control; 3], [[f64; 3]; 3])>,
    /// Touch contacts: their names, whether something touches, and where.
    pub contacts: Vec<(String, Control, [Control; 2])>,
    /// The controls that tell of the battery: how full, and whether it charges.
    pub battery: Option<(Control, Option<Control>)>,
}

impl Extras {
    /// Finds the controls that a sheet's vectors and its battery are made of.
    pub(super) fn find(&mut self, sheet: &Sheet, controls: &[Control]) {
        let named = |name: &str| controls.iter().find(|control| control.name == name).cloned();
        for motion in &sheet.motions {
            if let [Some(x), Some(y), Some(z)] = [0, 1, 2].map(|axis: usize| named(&motion.of[axis])) {
                self.motions.push((motion.name.clone(), [x, y, z], motion.rotation));
            }
        }
        for contact in &sheet.contacts {
            let found = (named(&contact.touches), named(&contact.at[0]), named(&contact.at[1]));
            if let (Some(touches), Some(x), Some(y)) = found {
                self.contacts.push((contact.name.clone(), touches, [x, y]));
            }
        }
        if let Some(battery) = &sheet.battery {
            let charging = battery.charging.as_deref().and_then(named);
            self.battery = named(&battery.level).map(|level| (level, charging));
        }
    }

    /// Translates what a report has brought.
    #[inline]
    pub fn translate(&self, frame: &mut Frame) {
        for one in &self.translated {
            let raw = frame.values[usize::from(one.from) % VALUES];
            frame.values[usize::from(one.to) % VALUES] = one.of(raw);
        }
    }

    /// What a control measures.
    #[must_use]
    pub fn scale(&self, number: ControlNumber) -> Option<&Scale> {
        self.scales.iter().find(|(known, _)| *known == number).map(|(_, scale)| scale)
    }

    /// A control's number in its unit, or as it stands if it has none.
    fn measured(&self, control: &Control, frame: &Frame) -> f64 {
        let raw = control.raw(frame);
        self.scale(control.number).map_or(f64::from(raw), |scale| scale.of(raw))
    }

    /// The vectors of a frame, in their units and in the axes of the pad: name, vector, unit.
    pub fn vectors<'a>(&'a self, frame: &'a Frame) -> impl Iterator<Item = (&'a str, [f64; 3], &'a str)> {
        self.motions.iter().map(move |(name, controls, rotation)| {
            let device = [0, 1, 2].map(|axis: usize| self.measured(&controls[axis], frame));
            let pad = rotation.map(|row| row.iter().zip(device).map(|(factor, value)| factor * value).sum());
            let unit = self.scale(controls[0].number).map_or("", |scale| scale.unit.as_str());
            (name.as_str(), pad, unit)
        })
    }

    /// The touch contacts of a frame: name, and where it is, as shares of the surface from its left and its top; none
    /// while nothing touches there.
    pub fn touching<'a>(&'a self, frame: &'a Frame) -> impl Iterator<Item = (&'a str, Option<[f32; 2]>)> {
        self.contacts.iter().map(move |(name, touches, [x, y])| {
            let there = touches.raw(frame) > touches.min.max(0);
            (name.as_str(), there.then(|| [x, y].map(|axis| axis.share(axis.raw(frame)))))
        })
    }

    /// How full the battery is, 0 to 1, and whether it charges.
    #[must_use]
    pub fn battery_of(&self, frame: &Frame) -> Option<(f32, bool)> {
        let (level, charging) = self.battery.as_ref()?;
        let charges = charging.as_ref().is_some_and(|control| control.raw(frame) > control.min.max(0));
        Some((level.share(level.raw(frame)), charges))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::control::{ControlKind, Layout, Packing, SheetControl, Where};
    use mantle_hid::Descriptor;

    /// 8 bytes of vendor-defined data without an id.
    const VENDOR: &[u8] = &[
        0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x08,
        0x81, 0x02, 0xc0,
    ];

    fn control(name: &str, kind: ControlKind, at: u32, size: u8, signed: bool) -> SheetControl {
        let source = Where::Bits { report: 0, at, size, packing: Packing::Little, signed };
        SheetControl { source, ..SheetControl::new(name, kind) }
    }

    fn layout(sheet: &Sheet) -> Layout {
        Layout::with_sheet(&Descriptor::parse(VENDOR).expect("good"), sheet)
    }

    #[test]
    fn masks_and_tables_give_the_number_that_counts() {
        let values = vec![(0x10, 0), (0x20, 2), (0x40, 4)];
        let hat = SheetControl {
            translation: Translation { mask: Some(0x70), values, inverted: false },
            range: Some((0, 7)),
            ..control("d-pad", ControlKind::Hat, 0, 8, false)
        };
        let layout = layout(&Sheet { controls: vec![hat], ..Sheet::default() });
        let hat = layout.parts[0].controls[0].clone();
        let mut frame = layout.rest;
        let mut directions = |byte: u8| {
            layout.decode(&[byte, 0, 0, 0, 0, 0, 0, 0], &mut frame).expect("a whole report");
            hat.hat_directions(hat.raw(&frame))
        };
        assert_eq!(directions(0x8f), 0, "none of them is the centre");
        assert_eq!(directions(0x20), 8, "right");
        assert_eq!(directions(0xaf), 8, "what the mask leaves out does not count");
        assert_eq!(directions(0x00), 0);
    }

    #[test]
    fn what_runs_backwards_is_turned_around_and_rests_where_it_did() {
        let axis = SheetControl {
            translation: Translation { inverted: true, ..Translation::default() },
            range: Some((10, 250)),
            rest: Some(240),
            ..control("pedal", ControlKind::Axis, 0, 8, false)
        };
        let layout = layout(&Sheet { controls: vec![axis], ..Sheet::default() });
        let pedal = layout.parts[0].controls[0].clone();
        assert_eq!(pedal.raw(&layout.rest), 20);
        let mut frame = layout.rest;
        layout.decode(&[10, 0, 0, 0, 0, 0, 0, 0], &mut frame).expect("a whole report");
        assert_eq!(pedal.share(pedal.raw(&frame)), 1.0);
    }

    #[test]
    fn vectors_are_scaled_and_turned() {
        let axis = |name: &str, at| SheetControl {
            scale: Some(Scale { factor: 0.5, offset: 1.0, unit: "deg/s".into() }),
            ..control(name, ControlKind::Motion, at, 8, true)
        };
        let motion = SheetMotion {
            name: "gyro".into(),
            of: ["a".into(), "b".into(), "c".into()],
            rotation: [[0.0, 1.0, 0.0], [-1.0, 0.0, 0.0], [0.0, 0.0, 1.0]],
        };
        let controls = vec![axis("a", 0), axis("b", 8), axis("c", 16)];
        let layout = layout(&Sheet { controls, motions: vec![motion], ..Sheet::default() });
        let mut frame = layout.rest;
        layout.decode(&[2, 4, 0xfe, 0, 0, 0, 0, 0], &mut frame).expect("a whole report");
        let all: Vec<_> = layout.extras.vectors(&frame).collect();
        assert_eq!(all, [("gyro", [3.0, -2.0, 0.0], "deg/s")]);
    }

    /// A bit that is set while nothing touches, and two numbers of 12 bits packed behind it.
    #[test]
    fn a_contact_is_somewhere_only_while_something_touches() {
        let touches = SheetControl {
            translation: Translation { inverted: true, ..Translation::default() },
            ..control("touch", ControlKind::Contact, 7, 1, false)
        };
        let axis = |name: &str, at, max| SheetControl {
            range: Some((0, max)),
            ..control(name, ControlKind::Contact, at, 12, false)
        };
        let contact = SheetContact { name: "first".into(), touches: "touch".into(), at: ["x".into(), "y".into()] };
        let controls = vec![touches, axis("x", 8, 1000), axis("y", 20, 500)];
        let layout = layout(&Sheet { controls, contacts: vec![contact], ..Sheet::default() });
        let mut frame = layout.rest;
        let mut seen = |first: u8| {
            // x = 250, y = 375.
            layout.decode(&[first, 0xfa, 0x70, 0x17, 0, 0, 0, 0], &mut frame).expect("a whole report");
            layout.extras.touching(&frame).map(|(name, at)| (name.to_owned(), at)).collect::<Vec<_>>()
        };
        assert_eq!(seen(0x81), [("first".to_owned(), None)]);
        assert_eq!(seen(0x01), [("first".to_owned(), Some([0.25, 0.75]))]);
    }

    #[test]
    fn a_battery_is_a_share_of_its_range() {
        let level = SheetControl { range: Some((0, 8)), ..control("battery", ControlKind::State, 0, 4, false) };
        let charging = control("charging", ControlKind::State, 4, 1, false);
        let battery = SheetBattery { level: "battery".into(), charging: Some("charging".into()) };
        let sheet = Sheet { controls: vec![level, charging], battery: Some(battery), ..Sheet::default() };
        let layout = layout(&sheet);
        let mut frame = layout.rest;
        layout.decode(&[0x16, 0, 0, 0, 0, 0, 0, 0], &mut frame).expect("a whole report");
        assert_eq!(layout.extras.battery_of(&frame), Some((0.75, true)));
    }
}
