use super::{Sheet, SheetBattery, SheetContact, SheetControl, SheetMotion, Where};
use crate::control::{ControlKind, Layout, Packing, Scale, Translation};
use mantle_hid::Descriptor;

/// 8 bytes of vendor-defined data without an id.
const VENDOR: &[u8] = &[
    0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x08, 0x81,
    0x02, 0xc0,
];

fn control(name: &str, kind: ControlKind, at: u32, size: u8, signed: bool) -> SheetControl {
    let source = Where::Bits { report: 0, at, size, packing: Packing::Little, signed };
    SheetControl { source, ..SheetControl::new(name, kind) }
}

fn layout(sheet: &Sheet) -> Layout {
    Layout::with_sheet(&Descriptor::parse(VENDOR).expect("good"), sheet)
}

#[test]
fn masks_and_tables_yield_the_effective_value() {
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
fn an_inverted_control_is_turned_around_and_keeps_its_rest() {
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
    let [vector] = layout.parts[0].sensors.vectors.as_slice() else { panic!("one") };
    assert_eq!((vector.name.as_str(), vector.read(&frame), vector.unit()), ("gyro", [3.0, -2.0, 0.0], "deg/s"));
    assert_eq!(vector.measures(), Some((crate::control::Measures::Turning, 1e3)));
}

/// A bit that is set while nothing touches, followed by two packed numbers of 12 bits.
#[test]
fn a_contact_has_a_position_only_while_touching() {
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
        let contacts = layout.parts[0].sensors.contacts.iter();
        contacts.map(|contact| (contact.name.clone(), contact.read(&frame))).collect::<Vec<_>>()
    };
    assert_eq!(seen(0x81), [("first".to_owned(), None)]);
    assert_eq!(seen(0x01), [("first".to_owned(), Some([0.25, 0.75]))]);
}

#[test]
fn battery_charge_is_scaled_to_its_range() {
    let level = SheetControl { range: Some((0, 8)), ..control("battery", ControlKind::State, 0, 4, false) };
    let charging = control("charging", ControlKind::State, 4, 1, false);
    let battery = SheetBattery { level: "battery".into(), charging: Some("charging".into()) };
    let sheet = Sheet { controls: vec![level, charging], battery: Some(battery), ..Sheet::default() };
    let layout = layout(&sheet);
    let mut frame = layout.rest;
    layout.decode(&[0x16, 0, 0, 0, 0, 0, 0, 0], &mut frame).expect("a whole report");
    assert_eq!(layout.extras.battery_of(&frame), Some((0.75, true)));
}
