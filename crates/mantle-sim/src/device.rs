//! One made-up device: gestures in, report bytes out.

use crate::waker::Waker;
use mantle_core::control::{Control, ControlKind, Layout, PartLayout, Place};
use mantle_core::device::{Bus, Identity};
use mantle_core::time::Micros;
use mantle_files::{DeviceFile, FileFault, Gesture, InterfaceFile, Tremble, control_of, rest_value};
use mantle_hid::{Descriptor, ReportId, ReportKind, Want, bits};
use mantle_talk::{HandKey, HandMove};
use std::collections::BTreeMap;

/// A control of an interface: part, and place in the part's list.
type Spot = (usize, usize);

/// One interface at work.
#[derive(Clone, Debug)]
pub struct SimInterface {
    /// What it is made from.
    pub file: InterfaceFile,
    /// Its report descriptor.
    pub bytes: Vec<u8>,
    /// What it offers.
    pub layout: Layout,
    reports: Vec<(ReportId, usize)>,
    numbered: bool,
    rests: BTreeMap<Spot, i64>,
    gestures: Vec<(Spot, Gesture)>,
    hand: Option<BTreeMap<Spot, i64>>,
    /// What a key held last.
    held: Option<Spot>,
    /// What is moved through its travel, and since when.
    travel: Option<(Spot, Option<Micros>)>,
    sent: Vec<Vec<u8>>,
    /// What its counter stands at.
    count: u8,
    /// What it waits for before it sends anything.
    pub waker: Waker,
    /// Controls that are never still, and by how much.
    trembles: Vec<(Spot, i64, u64)>,
    /// Reports that it has made.
    made: u64,
}

/// A made-up device.
#[derive(Clone, Debug)]
pub struct SimDevice {
    /// Its name.
    pub name: String,
    /// Its identity, the same for all interfaces except for the number at the end of phys.
    pub identity: Identity,
    /// Its interfaces.
    pub interfaces: Vec<SimInterface>,
}

impl SimDevice {
    /// Makes a device from its file, at a port.
    ///
    /// # Errors
    /// A descriptor that cannot be read, or a gesture for a control that the device does not have. (A scene may show
    /// an unreadable descriptor all the same: then nothing moves.)
    pub fn new(path: &str, file: &DeviceFile, port: &str, serial: Option<&str>) -> Result<Self, FileFault> {
        let usb = file.bus == "usb";
        let identity = Identity {
            bus: if usb { Bus::USB } else { Bus::BLUETOOTH },
            vendor: file.vendor,
            product: file.product,
            version: file.release,
            name: file.name.clone(),
            system_name: None,
            uniq: serial.unwrap_or(&file.serial).to_owned(),
            phys: if usb { format!("usb-sim-{port}") } else { "00:00:5e:00:53:01".into() },
            port: usb.then(|| port.to_owned()),
            interface: None,
            descriptor_hash: 0,
        };
        let mut interfaces = Vec::new();
        for (index, interface) in file.interface.iter().enumerate() {
            interfaces.push(SimInterface::new(path, file, index, interface)?);
        }
        Ok(Self { name: file.name.clone(), identity, interfaces })
    }

    /// The identity of one interface.
    #[must_use]
    pub fn identity_of(&self, interface: usize) -> Identity {
        let mut identity = self.identity.clone();
        if identity.bus == Bus::USB {
            identity.phys = format!("{}/input{interface}", identity.phys);
            identity.interface = Some(interface as u8);
        }
        identity.descriptor_hash = Identity::hash_descriptor(&self.interfaces[interface].bytes);
        identity
    }
}

impl SimInterface {
    fn new(path: &str, file: &DeviceFile, index: usize, interface: &InterfaceFile) -> Result<Self, FileFault> {
        let fault = |message: String| FileFault::whole(path, message);
        let bytes = interface.bytes().map_err(fault)?;
        let descriptor = Descriptor::parse(&bytes).map_err(|error| fault(format!("descriptor: {error}")))?;
        let layout = match &interface.sheet {
            Some(name) => {
                let sheet = mantle_files::shipped::sheet(name)
                    .ok_or_else(|| fault(format!("there is no sheet named {name:?}")))?;
                Layout::with_sheet(&descriptor, &sheet)
            }
            None => Layout::new(&descriptor),
        };
        let mut rests = BTreeMap::new();
        let rest_frame = layout.rest;
        for (part, layout) in layout.parts.iter().enumerate() {
            for (at, control) in layout.controls.iter().enumerate() {
                let rest = match (&interface.sheet, control.place) {
                    // A sheet says where a control rests, unless the file does.
                    (Some(_), Place::Value(value))
                        if !interface.rest.iter().any(|rest| rest.control == control.name) =>
                    {
                        i64::from(rest_frame.values[usize::from(value)])
                    }
                    _ => rest_value(interface, part, control),
                };
                rests.insert((part, at), rest);
            }
        }
        let mut gestures = Vec::new();
        for gesture in file.hand.iter().filter(|gesture| gesture.interface == index) {
            let Some(control) = control_of(&layout, gesture.part, &gesture.control) else {
                return Err(fault(format!("hand: part {} has no control named {:?}", gesture.part, gesture.control)));
            };
            gestures.push(((gesture.part, usize::from(control.number.0) - 1), gesture.clone()));
        }
        let mut reports: Vec<(ReportId, usize)> =
            descriptor.reports_of(ReportKind::Input).map(|report| (report.id, report.bytes())).collect();
        if interface.sheet.is_some() {
            // Reports without controls are answers, sent when something is written.
            let ids: Vec<ReportId> = layout.wants.iter().map(|want| want.report()).collect();
            reports.retain(|(id, _)| ids.contains(id));
        }
        let sent = vec![Vec::new(); reports.len()];
        let numbered = descriptor.numbered(ReportKind::Input);
        Ok(Self {
            file: interface.clone(),
            bytes,
            layout,
            reports,
            numbered,
            rests,
            gestures,
            hand: None,
            held: None,
            travel: None,
            sent,
            count: 0,
            waker: Waker::new(&interface.wake).map_err(fault)?,
            trembles: Vec::new(),
            made: 0,
        })
    }

    /// Makes a control tremble; returns whether there is such a control.
    pub fn tremble(&mut self, tremble: &Tremble) -> bool {
        let control = control_of(&self.layout, tremble.part, &tremble.control);
        let spot = control.map(|control| (tremble.part, usize::from(control.number.0) - 1));
        self.trembles.extend(spot.map(|spot| (spot, tremble.by, tremble.every)));
        spot.is_some()
    }

    fn control(&self, (part, at): Spot) -> Option<&Control> {
        self.layout.parts.get(part)?.controls.get(at)
    }

    /// Forgets what was sent, like a device that has just been plugged in.
    pub fn plug(&mut self) {
        self.waker.sleep();
        for sent in &mut self.sent {
            sent.clear();
        }
        // Rest need not be reported: a device that sends only changes is silent until something moves.
        if !self.file.stream {
            self.sent = self.encode(&self.rests.clone());
        }
    }

    /// The person does something with it.
    pub fn handle_move(&mut self, part: usize, act: HandMove) {
        let spot = |control: u16| (part, usize::from(control).saturating_sub(1));
        match act {
            HandMove::Take(true) => self.hand = Some(self.rests.clone()),
            HandMove::Take(false) => self.hand = None,
            HandMove::Put { control, share } | HandMove::Tap { control, share } => {
                let Some(value) = self.control(spot(control)).map(|control| raw_of(control, share)) else { return };
                let Some(value) = value.or_else(|| self.rests.get(&spot(control)).copied()) else { return };
                if let Some(hand) = &mut self.hand {
                    hand.insert(spot(control), value);
                }
            }
            HandMove::Hold(key) => self.hold(part, key),
            HandMove::Travel => self.travel = self.held.map(|spot| (spot, None)),
            HandMove::Rest { control } => {
                let rest = self.rests.get(&spot(control)).copied();
                if let (Some(hand), Some(rest)) = (&mut self.hand, rest) {
                    hand.insert(spot(control), rest);
                }
            }
        }
    }

    /// A key of the person's holds a control, or releases it.
    fn hold(&mut self, part: usize, key: HandKey) {
        let Some((at, share)) = self.layout.parts.get(part).and_then(|layout| key_control(layout, key)) else { return };
        let spot = (part, at);
        let Some(value) = self.control(spot).and_then(|control| raw_of(control, share)) else { return };
        let rest = self.rests.get(&spot).copied().unwrap_or(0);
        self.travel = None;
        self.held = Some(spot);
        if let Some(hand) = &mut self.hand {
            let before = hand.insert(spot, value);
            if before == Some(value) {
                hand.insert(spot, rest);
            }
        }
    }

    /// The control in hand goes through its whole travel: a hat around, an axis from end to end.
    fn travelling(&mut self, since: Micros) -> BTreeMap<Spot, i64> {
        let mut values = self.hand.clone().unwrap_or_default();
        let Some((spot, begun)) = self.travel else { return values };
        let begun = begun.unwrap_or(since);
        let turns = since.since(begun).as_seconds() / TRAVEL;
        self.travel = (turns < TURNS).then_some((spot, Some(begun)));
        let Some(control) = self.control(spot).filter(|_| turns < TURNS) else {
            // It ends at rest.
            if let (Some(hand), Some(rest)) = (&mut self.hand, self.rests.get(&spot)) {
                hand.insert(spot, *rest);
                values.insert(spot, *rest);
            }
            return values;
        };
        let share = match control.kind {
            ControlKind::Hat => (turns * 8.0).floor() % 8.0 / 8.0,
            _ => 1.0 - (turns.rem_euclid(1.0) * 2.0 - 1.0).abs(),
        };
        values.extend(raw_of(control, share as f32).map(|value| (spot, value)));
        values
    }

    /// The reports that the interface sends at this moment, counted from when it was plugged in.
    pub fn reports_at(&mut self, since: Micros, hands: bool) -> Vec<Vec<u8>> {
        let mut values = match &self.hand {
            Some(_) if self.travel.is_some() => self.travelling(since),
            Some(hand) => hand.clone(),
            None if hands => self.values_at(since.as_seconds()),
            None => self.rests.clone(),
        };
        self.made += 1;
        for (spot, by, every) in &self.trembles {
            let Some(control) = self.layout.parts.get(spot.0).and_then(|part| part.controls.get(spot.1)) else {
                continue;
            };
            // Out of step with observers: a hundred times per second it would seem to stand still.
            if *every > 0 && !self.made.is_multiple_of(*every) {
                continue;
            }
            let sign = if *every > 0 || self.made.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 63 == 0 { 1 } else { -1 };
            if let Some(value) = values.get_mut(spot) {
                *value = (*value + sign * by).clamp(i64::from(control.min), i64::from(control.max));
            }
        }
        let mut now = self.encode(&values);
        if let Some(counter) = self.file.counter {
            self.count = self.count.wrapping_add(1);
            for report in &mut now {
                if let Some(byte) = report.get_mut(counter + usize::from(self.numbered)) {
                    *byte = self.count;
                }
            }
        }
        now.iter_mut().for_each(|report| self.seal(report));
        let mut out = Vec::new();
        // Counts are sent again with every report, as long as something moves.
        let moves = values.iter().any(|(spot, value)| {
            *value != 0 && self.control(*spot).is_some_and(|control| control.kind == ControlKind::Relative)
        });
        for (report, sent) in now.into_iter().zip(&mut self.sent) {
            if self.file.stream || moves || report != *sent {
                out.push(report.clone());
            }
            *sent = report;
        }
        out
    }

    /// Fills checksums in.
    fn seal(&self, report: &mut [u8]) {
        for check in &self.layout.checks {
            let verify = &check.verify;
            let (Some(covered), false) = (report.get(verify.from..verify.at), check.holds(report)) else { continue };
            let sum = verify.checksum.of(covered);
            if report.len() >= verify.at + verify.width.bytes() {
                verify.width.write(sum, &mut report[verify.at..]);
            }
        }
    }

    fn values_at(&self, seconds: f64) -> BTreeMap<Spot, i64> {
        let mut values = self.rests.clone();
        for (spot, gesture) in &self.gestures {
            let Some(control) = self.control(*spot) else { continue };
            let mut local = seconds - gesture.at;
            if local < 0.0 {
                continue;
            }
            if gesture.every > 0.0 {
                local %= gesture.every;
            }
            let share = if local < gesture.over {
                local / gesture.over
            } else if local < gesture.over + gesture.hold {
                1.0
            } else if local < gesture.over + gesture.hold + gesture.back {
                1.0 - (local - gesture.over - gesture.hold) / gesture.back
            } else {
                continue;
            };
            let rest = self.rests.get(spot).copied().unwrap_or(0);
            let to = gesture.to.unwrap_or(i64::from(control.max));
            values.insert(*spot, rest + ((to - rest) as f64 * share).round() as i64);
        }
        values
    }

    /// All input reports with these values, as hidraw would deliver them.
    #[must_use]
    pub fn encode(&self, values: &BTreeMap<Spot, i64>) -> Vec<Vec<u8>> {
        let value_at = |place: Place| {
            self.layout.parts.iter().enumerate().find_map(|(part, layout)| {
                let at = layout.controls.iter().position(|control| control.place == place)?;
                values.get(&(part, at)).copied()
            })
        };
        // The number that counts may differ from the raw number that means it.
        let number = |to: u8| {
            let translated = self.layout.extras.translated.iter().find(|one| one.from == to);
            match translated {
                Some(one) => value_at(Place::Value(one.to)).map_or(0, |value| i64::from(one.raw_of(value as i32))),
                None => value_at(Place::Value(to)).unwrap_or(0),
            }
        };
        let one = |(id, len): &(ReportId, usize)| {
            let mut body = vec![0u8; *len];
            for want in &self.layout.wants {
                match *want {
                    Want::Bit { report, offset, to } if report == *id => {
                        let down = value_at(Place::Bit(to)).unwrap_or(0) != 0;
                        bits::insert(&mut body, offset, 1, u32::from(down));
                    }
                    Want::Value { report, offset, width, to, .. } if report == *id => {
                        let value = number(to);
                        bits::insert(&mut body, offset, u32::from(width), value as u32);
                    }
                    Want::Big { report, offset, width, to, .. } if report == *id => {
                        bits::insert_turned(&mut body, offset, u32::from(width), number(to) as u32);
                    }
                    Want::Array { report, offset, width, count, first, len, to, .. } if report == *id => {
                        let pressed = (0..len).filter(|n| value_at(Place::Bit(to + n)).is_some_and(|value| value != 0));
                        for (element, index) in pressed.take(usize::from(count)).enumerate() {
                            let at = offset + element as u32 * u32::from(width);
                            bits::insert(&mut body, at, u32::from(width), (first + i32::from(index as i16)) as u32);
                        }
                    }
                    _ => {}
                }
            }
            if self.numbered {
                body.insert(0, id.0);
            }
            body
        };
        self.reports.iter().map(one).collect()
    }
}

/// Seconds for one turn of a travel, from one end to the other and back or around; and how many turns there are.
const TRAVEL: f64 = 1.2;
const TURNS: f64 = 3.0;

/// The control that a key stands for, by its place, and where it is put: digits and q w e r t z u o are buttons, arrows the hat or the left stick, d
/// f x c the left stick, i j k l the right one, a and s the triggers.
fn key_control(layout: &PartLayout, key: HandKey) -> Option<(usize, f32)> {
    const BUTTONS: &str = "1234567890qwertzuo";
    let of_kind = |kind: ControlKind| {
        layout.controls.iter().enumerate().filter(move |(_, control)| control.kind == kind).map(|(at, _)| at)
    };
    let axis = |names: &[&str]| names.iter().find_map(|name| layout.controls.iter().position(|c| c.name == *name));
    let (left_x, left_y) = (axis(&["left stick X", "stick X", "X"]), axis(&["left stick Y", "stick Y", "Y"]));
    let (right_x, right_y) = (axis(&["right stick X", "Rx", "Z"]), axis(&["right stick Y", "Ry", "Rz"]));
    let at = |control: Option<usize>, share: f32| control.map(|control| (control, share));
    let hat = of_kind(ControlKind::Hat).next();
    match key {
        HandKey::Up => at(hat, 0.0).or(at(left_y, 0.0)),
        HandKey::Right => at(hat, 0.25).or(at(left_x, 1.0)),
        HandKey::Down => at(hat, 0.5).or(at(left_y, 1.0)),
        HandKey::Left => at(hat, 0.75).or(at(left_x, 0.0)),
        HandKey::Letter('d') => at(left_x, 0.0),
        HandKey::Letter('f') => at(left_x, 1.0),
        HandKey::Letter('x') => at(left_y, 0.0),
        HandKey::Letter('c') => at(left_y, 1.0),
        HandKey::Letter('j') => at(right_x, 0.0),
        HandKey::Letter('l') => at(right_x, 1.0),
        HandKey::Letter('i') => at(right_y, 0.0),
        HandKey::Letter('k') => at(right_y, 1.0),
        HandKey::Letter('a') => at(axis(&["left trigger", "brake", "Z"]), 1.0),
        HandKey::Letter('s') => at(axis(&["right trigger", "accelerator", "Rz"]), 1.0),
        HandKey::Letter(letter) => {
            let index = BUTTONS.chars().position(|known| known == letter)?;
            at(of_kind(ControlKind::Button).nth(index), 1.0)
        }
    }
}

/// The raw value at a share of a control's range; none for a released hat.
fn raw_of(control: &Control, share: f32) -> Option<i64> {
    let (min, max) = (i64::from(control.min), i64::from(control.max));
    match control.kind {
        ControlKind::Hat => {
            let eighth = (share * 8.0).round() as i64;
            let steps = max - min + 1;
            (0..8).contains(&eighth).then(|| min + eighth * steps / 8)
        }
        ControlKind::Button | ControlKind::Key => Some(if share > 0.5 { max } else { min }),
        _ => Some(min + ((max - min) as f64 * f64::from(share)).round() as i64),
    }
}
