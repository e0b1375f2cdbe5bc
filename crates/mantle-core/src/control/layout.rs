//! From a report descriptor to parts, controls, and the plan that decodes them.
//!
//! Controls are numbered by kind and usage, never by bit position: two devices that differ only in the
//! order of their bits look the same to everything after this file.

use super::groups::Groups;
use super::{Check, Control, ControlKind, ControlNumber, Extras, PartLayout, Place, Scale, Sensors};
use mantle_hid::{
    Collection, CollectionIndex, DecodeError, Descriptor, Field, FieldKind, Frame, Plan, Report, ReportIndex,
    ReportKind, Usage, VALUES, WORDS, Want, usage, usage::page,
};

/// The most parts of one device.
pub const PARTS: usize = 8;

/// What one source (one hidraw node) offers.
#[derive(Clone, Debug)]
pub struct Layout {
    /// Its parts, in the order of their collections.
    pub parts: Vec<PartLayout>,
    /// Where each control's state comes from; the decoder is compiled from this.
    pub wants: Vec<Want>,
    /// Its decoder.
    pub plan: Plan,
    /// What each report of the plan can change.
    pub reach: Vec<Reach>,
    /// A frame in which nothing is pressed, used before the first report.
    pub rest: Frame,
    /// Checksums required by the sheet.
    pub checks: Vec<Check>,
    /// What else its sheet says.
    pub extras: Extras,
}

/// What one report can change.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Reach {
    /// The parts, as bits.
    pub parts: u8,
    /// The frame's values that it carries, one bit each.
    pub carried: u64,
    /// Those that are counts: every report of them matters, even one equal to the last.
    pub counts: u64,
    /// Bytes of a complete report, including its id byte.
    pub bytes: usize,
    /// Index of the report in the plan.
    pub report: u8,
}

/// What one report carried.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Carried {
    /// The values of the frame, one bit each.
    pub values: u64,
    /// Index of the report in the plan.
    pub report: u8,
}

impl Reach {
    /// What each report of a plan can change, from its elements: report id, part, and place in the frame.
    pub(crate) fn of_plan(plan: &Plan, carried: &[(u8, u8, Place)], parts: &[PartLayout]) -> Vec<Self> {
        let counts = parts.iter().flat_map(|part| &part.controls).fold(0u64, |all, control| match control.place {
            Place::Value(value) if control.kind == ControlKind::Relative => all | 1 << value,
            _ => all,
        });
        let one = |(report, (id, bytes)): (usize, (mantle_hid::ReportId, usize))| {
            let mut reach = Self { bytes, report: report as u8, ..Self::default() };
            for (_, part, place) in carried.iter().filter(|(report, ..)| *report == id.0) {
                reach.parts |= 1 << part;
                if let Place::Value(value) = place {
                    reach.carried |= 1 << value;
                }
            }
            reach.counts = reach.carried & counts;
            reach
        };
        plan.ids().zip(plan.lengths()).enumerate().map(one).collect()
    }

    /// What this report carries.
    #[inline]
    #[must_use]
    pub fn carries(&self) -> Carried {
        Carried { values: self.carried, report: self.report }
    }

    /// Whether the frame holds counts from this report.
    #[inline]
    #[must_use]
    pub fn any_counts(&self, frame: &Frame) -> bool {
        let mut left = self.counts;
        while left != 0 {
            if frame.values[left.trailing_zeros() as usize] != 0 {
                return true;
            }
            left &= left - 1;
        }
        false
    }
}

/// An element, or a whole array field, before it has a place.
struct FoundControl<'a> {
    part: usize,
    kind: ControlKind,
    usage: Usage,
    report: &'a Report,
    field: &'a Field,
    /// The element of a variable field; none for one usage of an array.
    element: Option<u32>,
    /// The index within an array's list.
    index: u32,
    /// How many earlier ones have the same meaning.
    again: u16,
    /// How many come before it in the descriptor.
    declared: u16,
}

impl Layout {
    /// Decodes a report from hidraw into a frame. Returns which report it is, and whether anything changed.
    ///
    /// # Errors
    /// See [`Plan::decode`].
    #[inline(always)]
    pub fn decode(&self, bytes: &[u8], frame: &mut Frame) -> Result<(ReportIndex, bool), DecodeError> {
        let read = self.plan.decode(bytes, frame)?;
        if !self.extras.translated.is_empty() {
            self.extras.translate(frame);
        }
        Ok(read)
    }

    /// Works out the parts and controls of a descriptor.
    #[must_use]
    pub fn new(descriptor: &Descriptor) -> Self {
        let tops: Vec<CollectionIndex> = descriptor
            .collections()
            .iter()
            .enumerate()
            .filter(|(_, c): &(usize, &Collection)| c.parent.is_none())
            .map(|(index, _)| CollectionIndex(index as u16))
            .collect();
        let mut found = Vec::new();
        let groups = Groups::of(descriptor, &tops);
        let mut unread = vec![0u32; groups.usages.len()];
        for report in descriptor.reports_of(ReportKind::Input) {
            for field in &report.fields {
                let Some(part) = groups.group(descriptor, report, field) else { continue };
                let within = within(descriptor, field);
                collect(report, field, part, within, &mut found, &mut unread[part]);
            }
        }
        // If several reports carry the same controls, all of the first come before all of the second. After sorting, equal
        // meanings are neighbours, so that a descriptor that claims much costs no more than sorting it.
        found.sort_by_key(|f| (f.part, f.kind, f.usage));
        for index in 1..found.len() {
            let (before, this) = (&found[index - 1], &found[index]);
            if (before.part, before.kind, before.usage) == (this.part, this.kind, this.usage) {
                found[index].again = before.again.saturating_add(1);
            }
        }
        found.sort_by_key(|f| (f.part, f.kind, f.again, f.usage));
        let mut builder = LayoutBuilder::default();
        let mut parts: Vec<PartLayout> = Vec::new();
        let mut renumber = vec![None; groups.usages.len()];
        for item in &found {
            if renumber[item.part].is_none() {
                if parts.len() == PARTS {
                    continue;
                }
                renumber[item.part] = Some(parts.len());
                let usage = groups.usages[item.part];
                parts.push(PartLayout {
                    usage,
                    controls: Vec::new(),
                    unread: unread[item.part],
                    triggers_turned: false,
                    sensors: Sensors::default(),
                    half: None,
                });
                builder.extras.push(Extras::default());
            }
            let Some(part) = renumber[item.part] else { continue };
            builder.place(item, part as u8, &mut parts[part]);
        }
        for (part, extras) in parts.iter_mut().zip(&builder.extras) {
            part.sensors = Sensors::of(&part.controls, extras);
        }
        let plan = Plan::compile(descriptor, &builder.wants);
        let reach = Reach::of_plan(&plan, &builder.carried, &parts);
        let rest = rest_frame(&parts);
        // Facts about several parts are told by the parts, whose numbers the controls have.
        let extras = if builder.extras.len() == 1 { builder.extras.remove(0) } else { Extras::default() };
        Self { parts, wants: builder.wants, plan, reach, rest, checks: Vec::new(), extras }
    }
}

/// A frame in which nothing is pressed: hats at "no value", axes in the middle.
pub(crate) fn rest_frame(parts: &[PartLayout]) -> Frame {
    let mut rest = Frame::default();
    for control in parts.iter().flat_map(|part| &part.controls) {
        if let Place::Value(value) = control.place {
            rest.values[usize::from(value)] = match control.kind {
                ControlKind::Hat => control.min.checked_sub(1).unwrap_or(control.max.wrapping_add(1)),
                ControlKind::Axis => ((i64::from(control.min) + i64::from(control.max) + 1) / 2) as i32,
                _ => control.min.max(0),
            };
        }
    }
    rest
}

fn collect<'a>(
    report: &'a Report,
    field: &'a Field,
    part: usize,
    within: (Usage, Usage),
    found: &mut Vec<FoundControl<'a>>,
    unread: &mut u32,
) {
    let mut add = |kind, usage, element, index| {
        let declared = u16::try_from(found.len()).unwrap_or(u16::MAX);
        found.push(FoundControl { part, kind, usage, report, field, element, index, again: 0, declared });
    };
    match field.kind {
        FieldKind::Constant => {}
        FieldKind::Variable => {
            // At most twice as many elements as a frame holds are examined; the rest is only counted.
            for (element, usage) in field.usages.elements(field.count).enumerate().take(2 * WORDS * 64) {
                match kind_of(field, usage, within) {
                    Some(kind) => add(kind, usage, Some(element as u32), 0),
                    None => *unread += 1,
                }
            }
        }
        FieldKind::Array if field.bit_size <= 32 => {
            let (first, last) = field.range().unwrap_or((field.logical_min, field.logical_max));
            let span = (last - first).clamp(0, (WORDS * 64) as i64) as usize + 1;
            for (index, usage) in field.usages.iter().enumerate().take(span) {
                let kind = if usage.page() == page::BUTTON { ControlKind::Button } else { ControlKind::Key };
                if usage.id() != 0 && usage.page() < page::VENDOR_FIRST {
                    add(kind, usage, None, index as u32);
                }
            }
        }
        FieldKind::Array => *unread += 1,
    }
}

/// The outermost and the innermost collection around a field.
pub(super) fn within(descriptor: &Descriptor, field: &Field) -> (Usage, Usage) {
    let of = |index: CollectionIndex| descriptor.collections()[usize::from(index.0)].usage;
    field.collection.map_or((Usage(0), Usage(0)), |index| (of(descriptor.top_level(index)), of(index)))
}

/// Whether a field's numbers exceed a frame's values, as unsigned 32-bit numbers may.
fn is_too_wide(field: &Field) -> bool {
    field.bit_size == 32 && field.range().is_some_and(|(_, max)| max > i64::from(i32::MAX))
}

/// Whether a hat has one value more than directions, so that either end could be its centre.
fn centre_is_unclear(field: &Field) -> bool {
    field.range().is_some_and(|(min, max)| min >= 0 && matches!(max - min, 4 | 8))
}

/// The range of a number in the frame. If a hat has one value more than directions, the additional end is its centre and
/// excluded: the minimum if it is negative, otherwise the maximum, unless the first report says otherwise.
fn number_range(field: &Field, kind: ControlKind) -> (i32, i32) {
    let (low, high) = field.range().unwrap_or((0, 1));
    let narrow = |value: i64| {
        let value = if is_too_wide(field) { value >> 1 } else { value };
        value.clamp(i64::from(i32::MIN), i64::from(i32::MAX)) as i32
    };
    let (min, max) = (narrow(low), narrow(high));
    match (kind, high - low) {
        (ControlKind::Hat, 4 | 8) if min < 0 => (min + 1, max),
        (ControlKind::Hat, 4 | 8) => (min, max - 1),
        _ => (min, max),
    }
}

/// `within` are the outermost and the innermost collection around the field.
pub(super) fn kind_of(field: &Field, usage: Usage, within: (Usage, Usage)) -> Option<ControlKind> {
    let one_bit = field.bit_size == 1;
    if usage.id() == 0 || usage.page() >= page::VENDOR_FIRST || field.bit_size > 32 {
        return None;
    }
    field.range()?;
    match usage.page() {
        page::GENERIC_DEVICE => None,
        page::SENSOR if !one_bit && is_motion(usage) => Some(ControlKind::Motion),
        page::CONSUMER if field.relative && !one_bit => Some(ControlKind::Relative),
        page::KEYBOARD | page::CONSUMER | page::LINUX_KEY => Some(ControlKind::Key),
        page::DIGITIZER | page::GENERIC_DESKTOP if within.1 == usage::FINGER => Some(ControlKind::Contact),
        page::BUTTON => Some(ControlKind::Button),
        _ if one_bit => Some(ControlKind::Button),
        _ if field.relative => Some(ControlKind::Relative),
        _ if usage == usage::HAT => Some(ControlKind::Hat),
        page::GENERIC_DESKTOP if matches!(usage, usage::X | usage::Y) && is_surface(within.0) => {
            Some(ControlKind::Pointer)
        }
        page::GENERIC_DESKTOP | page::SIMULATION | page::GAME | page::DIGITIZER => Some(ControlKind::Axis),
        _ => None,
    }
}

fn is_motion(usage: Usage) -> bool {
    usage::ACCELERATION.contains(&usage) || usage::ANGULAR_VELOCITY.contains(&usage)
}

/// Angular velocity in radians, as HID 1.11 writes SI units, and acceleration in centimetres.
const RADIANS_A_SECOND: u32 = 0xf012;
const CENTIMETRES_A_SECOND_SQUARED: u32 = 0xe011;

/// What a motion field measures. Without a unit, the sensor page's own apply: degrees per second, and g.
fn measured(field: &Field, usage: Usage) -> Scale {
    let (low, high) = field.range().unwrap_or((0, 1));
    let physical = (field.physical_max - field.physical_min) as f64;
    let (each, from) = match physical == 0.0 {
        true => (1.0, 0.0),
        false => (physical / (high - low).max(1) as f64, field.physical_min as f64),
    };
    let (unit, times) = match (usage::ANGULAR_VELOCITY.contains(&usage), field.unit) {
        (true, RADIANS_A_SECOND) => ("rad/s", 1.0),
        (true, _) => ("deg/s", 1.0),
        (false, CENTIMETRES_A_SECOND_SQUARED) => ("m/s2", 0.01),
        (false, _) => ("g", 1.0),
    };
    let power = 10f64.powi(field.unit_exponent.into()) * times;
    let offset = if physical == 0.0 { 0.0 } else { from - low as f64 * each };
    Scale { factor: each * power, offset: offset * power, unit: unit.to_owned() }
}

/// Whether absolute positions in a collection belong to a pointer.
fn is_surface(usage: Usage) -> bool {
    matches!(usage, usage::MOUSE | usage::POINTER) || usage.page() == page::DIGITIZER
}

#[derive(Default)]
struct LayoutBuilder {
    wants: Vec<Want>,
    carried: Vec<(u8, u8, Place)>,
    bits: u16,
    values: u8,
    arrays: Vec<(*const Field, u16)>,
    /// What the controls of each part measure, for every part begun so far.
    extras: Vec<Extras>,
}

impl LayoutBuilder {
    fn place(&mut self, item: &FoundControl<'_>, part: u8, layout: &mut PartLayout) {
        let Some(place) = self.claim(item) else {
            layout.unread += 1;
            return;
        };
        self.carried.push((item.report.id.0, part, place));
        let same = layout.controls.iter().filter(|c| (c.kind, c.usage) == (item.kind, item.usage)).count();
        let mut name = item.usage.name();
        if item.kind == ControlKind::Contact {
            let what = if item.usage == usage::TIP_SWITCH { String::new() } else { format!(" {name}") };
            name = format!("contact {}{what}", same + 1);
        } else if same > 0 {
            name = format!("{name} ({})", same + 1);
        }
        if item.kind == ControlKind::Motion {
            let number = ControlNumber(layout.controls.len() as u16 + 1);
            self.extras[usize::from(part)].scales.push((number, measured(item.field, item.usage)));
        }
        let wide = item.element.is_some() && item.field.bit_size > 1;
        let (min, max) = if wide { number_range(item.field, item.kind) } else { (0, 1) };
        layout.controls.push(Control {
            number: ControlNumber(layout.controls.len() as u16 + 1),
            kind: item.kind,
            usage: item.usage,
            name,
            place,
            min,
            max,
            declared: item.declared,
            centre_unclear: item.kind == ControlKind::Hat && wide && centre_is_unclear(item.field),
            plays: None,
            calibration: None,
        });
    }

    fn claim(&mut self, item: &FoundControl<'_>) -> Option<Place> {
        let (report, field) = (item.report.id, item.field);
        let Some(element) = item.element else {
            let to = self.array(item)?;
            return Some(Place::Bit(to + item.index as u16));
        };
        let offset = field.element_offset(element);
        if field.bit_size == 1 {
            let to = self.bits;
            self.bits = to.checked_add(1).filter(|end| usize::from(*end) <= WORDS * 64)?;
            self.wants.push(Want::Bit { report, offset, to });
            return Some(Place::Bit(to));
        }
        let to = self.values;
        if usize::from(to) == VALUES {
            return None;
        }
        self.values += 1;
        // If a number is too wide for a frame's values, its lowest bit is dropped.
        let low = u32::from(is_too_wide(field));
        let width = (field.bit_size - low) as u8;
        self.wants.push(Want::Value { report, offset: offset + low, width, signed: field.signed(), to });
        Some(Place::Value(to))
    }

    /// The first bit of an array field's list, claimed when its first usage turns up.
    fn array(&mut self, item: &FoundControl<'_>) -> Option<u16> {
        let field = item.field;
        if let Some((_, to)) = self.arrays.iter().find(|(known, _)| std::ptr::eq(*known, field)) {
            return Some(*to);
        }
        let (first, last) = field.range().unwrap_or((field.logical_min, field.logical_max));
        let span = last - first + 1;
        let len = i64::from(field.usages.len()).min(span).clamp(0, (WORDS * 64) as i64) as u16;
        let to = self.bits;
        self.bits = to.checked_add(len).filter(|end| usize::from(*end) <= WORDS * 64)?;
        self.arrays.push((field, to));
        self.wants.push(Want::Array {
            report: item.report.id,
            offset: field.bit_offset,
            width: field.bit_size as u8,
            count: field.count.min(u32::from(u16::MAX)) as u16,
            first: i32::try_from(first).ok()?,
            len,
            silent: field.usages.iter().take(usize::from(len)).position(|usage| usage.id() == 0).map(|at| at as u16),
            to,
        });
        Some(to)
    }
}
