//! From what was found to a sheet, and from a sheet back to what was found, to continue.

use super::{ButtonShape, Confidence, Confirmed, Field, FieldFound, FieldProposal, Still, Wanted, place};
use crate::control::{ControlKind, Plays, Translation, Verify};
use crate::device::Identity;
use crate::pad::PadTarget;
use crate::sheet::{MatchRule, Sheet, SheetControl, Where};
use mantle_hid::ReportKind;

/// The names of a d-pad's buttons.
const FOUR: [(&str, PadTarget); 4] = [
    ("d-pad up", PadTarget::Up),
    ("d-pad right", PadTarget::Right),
    ("d-pad down", PadTarget::Down),
    ("d-pad left", PadTarget::Left),
];

/// The sheet of a device whose fields were found. What an earlier sheet says about other things is kept.
#[must_use]
pub fn sheet(identity: &Identity, confirmed: &[Confirmed], still: &Still, earlier: Option<&Sheet>) -> Sheet {
    let mut sheet = earlier.cloned().unwrap_or_default();
    identity.system_name().clone_into(&mut sheet.name);
    if earlier.is_none() {
        sheet.rule = MatchRule {
            bus: Some(identity.bus.0),
            vendor: Some(identity.vendor),
            product: vec![identity.product],
            interface: identity.interface.filter(|number| *number != 0),
            ..MatchRule::default()
        };
    }
    for one in confirmed {
        let Some(found) = &one.proposal.found else { continue };
        let new = controls(&one.wanted, found, still.shape());
        let same = |old: &SheetControl| new.iter().any(|new| new.name == old.name || new.plays == old.plays);
        sheet.controls.retain(|old| !same(old));
        sheet.controls.extend(new);
    }
    for found in still.checksums() {
        let super::FoundChecksum { report, checksum, width, at, from } = *found;
        if !sheet.checks.iter().any(|check| check.kind == ReportKind::Input && check.report == report) {
            sheet.checks.push(Verify { kind: ReportKind::Input, report, checksum, width, at, from });
        }
    }
    sheet
}

fn controls(wanted: &Wanted, found: &FieldFound, shape: &ButtonShape) -> Vec<SheetControl> {
    let at = |name: &str, kind, field: &Field| {
        place(field, shape).map(|source| SheetControl { source, ..SheetControl::new(name, kind) })
    };
    // A bit that is 0 while pressed.
    let low =
        |low: bool| Translation { values: if low { vec![(0, 1), (1, 0)] } else { Vec::new() }, ..Default::default() };
    let all: Vec<Option<SheetControl>> = match found {
        FieldFound::Value(field, value) => {
            vec![at(&wanted.name, ControlKind::Button, field).map(|control| SheetControl {
                range: Some((0, 1)),
                translation: Translation { values: vec![(*value, 1)], ..Translation::default() },
                plays: Some(wanted.plays),
                ..control
            })]
        }
        FieldFound::Button(field, down) => {
            vec![at(&wanted.name, ControlKind::Button, field).map(|control| SheetControl {
                translation: low(*down),
                plays: Some(wanted.plays),
                ..control
            })]
        }
        FieldFound::Four(fields, down) => FOUR
            .iter()
            .zip(fields)
            .map(|((name, target), field)| {
                at(name, ControlKind::Button, field).map(|control| SheetControl {
                    translation: low(*down),
                    plays: Some(Plays::Target(*target)),
                    ..control
                })
            })
            .collect(),
        FieldFound::Hat { field, up, steps } => vec![at(&wanted.name, ControlKind::Hat, field).map(|control| {
            SheetControl { range: Some((*up, up + i32::from(*steps) - 1)), plays: Some(Plays::DPad), ..control }
        })],
        FieldFound::Axis { field, range, rest, backwards } => {
            vec![at(&wanted.name, ControlKind::Axis, field).map(|control| SheetControl {
                range: Some(*range),
                rest: Some((*rest).clamp(range.0, range.1)),
                translation: Translation { inverted: *backwards, ..Translation::default() },
                plays: Some(wanted.plays),
                ..control
            })]
        }
    };
    all.into_iter().flatten().collect()
}

/// What a sheet already says about the wanted controls, which need not be asked for again.
#[must_use]
pub fn confirmed(sheet: &Sheet, wanted: &[Wanted], shape: &ButtonShape) -> Vec<Confirmed> {
    let field = |control: &SheetControl| {
        let Where::Bits { report, at, size, packing, signed } = control.source else { return None };
        let (_, first, _) = shape.reports().find(|(id, ..)| *id == report || !shape.numbered)?;
        Some(Field { at: at + first as u32 * 8, size, packing, signed })
    };
    let low = |control: &SheetControl| control.translation.values == [(0, 1), (1, 0)];
    let one = |wanted: &Wanted| {
        let own = sheet.controls.iter().find(|control| control.plays == Some(wanted.plays));
        let found = match own {
            Some(control) => {
                let field = field(control)?;
                let range = control.range.unwrap_or((0, ((1u64 << field.size) - 1).min(i32::MAX as u64) as i32));
                match control.kind {
                    ControlKind::Button => match control.translation.values.as_slice() {
                        [(value, 1)] => FieldFound::Value(field, *value),
                        _ => FieldFound::Button(field, low(control)),
                    },
                    ControlKind::Hat => {
                        FieldFound::Hat { field, up: range.0, steps: if range.1 - range.0 == 3 { 4 } else { 8 } }
                    }
                    _ => FieldFound::Axis {
                        field,
                        range,
                        rest: control.rest.unwrap_or(i32::midpoint(range.0, range.1)),
                        backwards: control.translation.inverted,
                    },
                }
            }
            None if wanted.plays == Plays::DPad => {
                let button = |(_, target): &(&str, PadTarget)| {
                    sheet.controls.iter().find(|control| control.plays == Some(Plays::Target(*target)))
                };
                let [Some(up), Some(right), Some(down), Some(left)] = FOUR.each_ref().map(button) else { return None };
                FieldFound::Four([field(up)?, field(right)?, field(down)?, field(left)?], low(up))
            }
            None => return None,
        };
        let proposal =
            FieldProposal { found: Some(found), confidence: Confidence::High, reason: "its sheet says so".into() };
        Some(Confirmed { wanted: wanted.clone(), proposal })
    };
    wanted.iter().filter_map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::control::Packing;
    use mantle_hid::Descriptor;

    fn shape() -> ButtonShape {
        let descriptor = [
            0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x85, 0x07, 0x09, 0x01, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08,
            0x95, 0x0a, 0x81, 0x02, 0xc0,
        ];
        ButtonShape::of(&Descriptor::parse(&descriptor).expect("good"))
    }

    #[test]
    fn findings_survive_the_round_trip_through_a_sheet() {
        let axis = Field { at: 20, size: 12, packing: Packing::Little, signed: false };
        let found = [
            FieldFound::Button(Field::bit(3), true),
            FieldFound::Four([8, 9, 10, 11].map(Field::bit), false),
            FieldFound::Axis { field: axis, range: (30, 4000), rest: 2040, backwards: true },
        ];
        let wanted = Wanted::common();
        let names = ["South", "d-pad", "left stick Y"];
        let confirmed: Vec<Confirmed> = names
            .iter()
            .zip(found)
            .map(|(name, found)| Confirmed {
                wanted: wanted.iter().find(|wanted| wanted.name == *name).expect("wanted").clone(),
                proposal: FieldProposal {
                    found: Some(found),
                    confidence: Confidence::High,
                    reason: "its sheet says so".into(),
                },
            })
            .collect();
        let identity = Identity { vendor: 0x1209, product: 7, name: "pad".into(), ..Identity::default() };
        let sheet = sheet(&identity, &confirmed, &Still::new(shape()), None);
        assert_eq!(sheet.controls.len(), 6);
        assert!(sheet.rule.fits(&identity));
        assert_eq!(super::confirmed(&sheet, &wanted, &shape()), confirmed);
        // Once more, it replaces what it said before.
        let again = super::sheet(&identity, &confirmed, &Still::new(shape()), Some(&sheet));
        assert_eq!(again, sheet);
    }

    /// A number shared by buttons, and one that tells how hard, press the right controls once they are in a sheet.
    #[test]
    fn shared_values_and_pressures_are_playable() {
        use crate::binding::{Compiled, default_bindings};
        use crate::control::Layout;
        let descriptor = Descriptor::parse(&[
            0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x08,
            0x81, 0x02, 0xc0,
        ])
        .expect("a descriptor");
        let shape = ButtonShape::of(&descriptor);
        let nibble = Field { at: 4, size: 4, ..Field::bit(0) };
        let byte = Field { at: 16, size: 8, ..Field::bit(0) };
        let found = [
            ("South", FieldFound::Value(nibble, 3)),
            ("East", FieldFound::Value(nibble, 1)),
            ("West", FieldFound::Axis { field: byte, range: (0, 250), rest: 1, backwards: false }),
        ];
        let wanted = Wanted::common();
        let confirmed: Vec<Confirmed> = found
            .into_iter()
            .map(|(name, found)| Confirmed {
                wanted: wanted.iter().find(|wanted| wanted.name == name).expect("wanted").clone(),
                proposal: FieldProposal { found: Some(found), confidence: Confidence::High, reason: String::new() },
            })
            .collect();
        let sheet = sheet(&Identity::default(), &confirmed, &Still::new(shape.clone()), None);
        let back: Vec<_> =
            super::confirmed(&sheet, &wanted, &shape).into_iter().map(|one| one.proposal.found).collect();
        assert_eq!(back, confirmed.iter().map(|one| one.proposal.found.clone()).collect::<Vec<_>>());
        let layout = Layout::with_sheet(&descriptor, &sheet);
        let compiled = Compiled::new(&default_bindings(&layout.parts[0]), &layout.parts[0]);
        let mut frame = layout.rest;
        for (report, down) in [
            ([0x00, 0, 0], vec![]),
            ([0x30, 0, 0], vec![PadTarget::South]),
            ([0x10, 0, 0], vec![PadTarget::East]),
            ([0x20, 0, 0], vec![]),
            ([0x00, 0, 40], vec![]),
            ([0x30, 0, 220], vec![PadTarget::South, PadTarget::West]),
        ] {
            let [a, b, c] = report;
            layout.decode(&[a, b, c, 0, 0, 0, 0, 0], &mut frame).expect("a whole report");
            let given = compiled.evaluate(&frame, 0);
            for target in [PadTarget::South, PadTarget::East, PadTarget::West] {
                assert_eq!(given.share(target) > 0.5, down.contains(&target), "{report:02x?}: {}", target.name());
            }
        }
    }
}
