//! Reads a pad file key by key: each fault names the line, the key, its value, what is allowed, and one suggestion.

use super::{ENDING, PadFile};
use crate::pointed::{self, At, Reader};
use mantle_core::pad::{
    AXIS_CODES, BUTTON_CODES, BUTTONS, HATS, OwnPad, PadAxis, PadHat, PadKind, PadStart, PadTarget, REACH, axis_of,
    lane_named, lane_names,
};
use mantle_core::suggest::nearest;
use std::path::Path;
use toml_edit::{Item, Value};

const TOP: &[&str] = &[
    "version", "name", "like", "title", "numbered", "bus", "vendor", "product", "revision", "rumble", "button", "axis",
    "hat",
];
const BUTTON: &[&str] = &["target", "code"];
const AXIS: &[&str] = &["axis", "code", "min", "max"];
const HAT: &[&str] = &["hat", "form", "codes"];
/// The forms of a hat.
const FORMS: [&str; 3] = ["hat", "buttons", "axes"];
/// Buses by name, and by number.
const BUSES: [(&str, u16); 3] = [("usb", 3), ("bluetooth", 5), ("virtual", 6)];
/// The longest name in bytes, and the longest name for the system, which allows 79 including the slot's number.
const NAME: usize = 40;
const TITLE: usize = 77;
/// Codes of a d-pad made of four buttons.
const DPAD: [u16; 4] = [0x220, 0x221, 0x222, 0x223];
/// The range of a hat made of two axes.
const FAR: i32 = 32_767;

pub(super) fn read(path: &str, text: &str) -> PadFile {
    let (pad, faults) = pointed::read(path, text, TOP, |reader, at| reader.pad(at));
    PadFile { pad: pad.filter(|_| faults.is_empty()), faults }
}

/// What has been assigned already.
#[derive(Default)]
struct Given {
    targets: Vec<PadTarget>,
    keys: Vec<u16>,
    lanes: Vec<usize>,
    axes: Vec<u16>,
    hats: Vec<u8>,
}

impl Reader<'_> {
    fn pad(&mut self, at: &At<'_>) -> Option<OwnPad> {
        let file = Path::new(self.path).file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let stem = file.strip_suffix(ENDING).unwrap_or(&file).to_owned();
        let names = PadStart::ALL.map(|(name, _)| name);
        let like = self.one_of(at, "like", &names).map_or(PadStart::default(), |at| PadStart::ALL[at].1);
        let mut pad = OwnPad::beginning(&stem, like);
        pad.name = self.own_name(at, "name", NAME).unwrap_or(stem);
        if let Some(title) = self.own_name(at, "title", TITLE) {
            pad.title = title;
        }
        pad.numbered = self.flag(at, "numbered").unwrap_or(true);
        pad.rumble = self.flag(at, "rumble").unwrap_or(pad.rumble);
        if let Some(bus) = self.bus(at) {
            pad.identity.bus = bus;
        }
        let mut id = |key: &str, own: &mut u16| {
            if let Some(number) = self.number(at, key, 0..0x1_0000) {
                *own = number as u16;
            }
        };
        id("vendor", &mut pad.identity.vendor);
        id("product", &mut pad.identity.product);
        id("revision", &mut pad.identity.version);
        let mut given = Given::default();
        let [buttons, axes, hats] = ["button", "axis", "hat"].map(|key| at.table.get(key).is_some());
        if buttons {
            pad.buttons = self.buttons(at, like, &mut given);
        } else {
            given.keys = pad.buttons.iter().map(|(_, code)| *code).collect();
            given.targets = pad.buttons.iter().map(|(target, _)| *target).collect();
        }
        if axes {
            pad.axes = self.axes(at, &mut given);
        } else {
            given.axes = pad.axes.iter().map(|axis| axis.info.code).collect();
        }
        if hats {
            pad.hats.clear();
            self.hats(at, &mut pad, &mut given);
        } else if let Some((hat, _)) =
            pad.hats.first().filter(|(hat, _)| PadTarget::hat(*hat).iter().any(|way| given.targets.contains(way)))
        {
            // Directions that are buttons, which rules out a hat.
            let hat = *hat;
            pad.hats.retain(|(own, _)| *own != hat);
        }
        if pad.buttons.len() > usize::from(BUTTONS) {
            let item = at.table.get("button").unwrap_or(&Item::None);
            let _: Option<()> = self.refuse(
                at,
                "button",
                item,
                &format!("{} buttons, but a pad has at most {BUTTONS}", pad.buttons.len()),
            );
        }
        Some(pad)
    }

    /// A name without invisible characters.
    fn own_name(&mut self, at: &At<'_>, key: &str, most: usize) -> Option<String> {
        let text = self.text(at, key)?.trim();
        let item = at.table.get(key)?;
        if text.is_empty() || text.len() > most || text.chars().any(char::is_control) {
            return self.refuse(at, key, item, &format!("1 to {most} bytes are expected, without control characters"));
        }
        if key == "name" && PadKind::widest().iter().any(|kind| kind.name().eq_ignore_ascii_case(text)) {
            return self.refuse(at, key, item, "that is a built-in kind of pad: choose another name");
        }
        Some(text.to_owned())
    }

    fn bus(&mut self, at: &At<'_>) -> Option<u16> {
        let item = at.table.get("bus")?;
        let named = item.as_str().and_then(|text| BUSES.iter().find(|(name, _)| *name == text)).map(|(_, bus)| *bus);
        let number = item.as_integer().and_then(|number| u16::try_from(number).ok());
        match named.or(number) {
            Some(bus) => Some(bus),
            None => self.refuse(at, "bus", item, "usb, bluetooth, virtual or a number from 0 to 65535 is expected"),
        }
    }

    /// A target by name; only single buttons are allowed.
    fn button_target(&mut self, at: &At<'_>) -> Option<PadTarget> {
        let Some(text) = self.text(at, "target") else {
            return if at.table.get("target").is_none() {
                self.missing(at, "target", "it has to say which control of the pad this is")
            } else {
                None
            };
        };
        let item = at.table.get("target")?;
        let can = |target: &PadTarget| !target.is_whole() && (target.axis().is_none() || target.is_pulled());
        match PadTarget::named(text) {
            Some(target) if can(&target) => Some(target),
            Some(_) => self.refuse(
                at,
                "target",
                item,
                "that is a direction of an axis, or bound as a whole, and cannot be a button",
            ),
            None => {
                let all: Vec<&str> = PadTarget::all().filter(can).map(PadTarget::name).collect();
                let meant = nearest(text, &all).map(|meant| format!("; did you mean \"{meant}\"?")).unwrap_or_default();
                self.refuse(
                    at,
                    "target",
                    item,
                    &format!("a control of a pad is expected, such as South or button 12{meant}"),
                )
            }
        }
    }

    fn code(&mut self, at: &At<'_>, taken: &[u16], ranges: &[std::ops::RangeInclusive<u16>]) -> Option<u16> {
        let item = at.table.get("code")?;
        let allowed = || {
            let all: Vec<String> =
                ranges.iter().map(|range| format!("{:#x} to {:#x}", range.start(), range.end())).collect();
            format!("a code is expected: {}", all.join(", "))
        };
        let code = item.as_integer().and_then(|code| u16::try_from(code).ok());
        match code.filter(|code| ranges.iter().any(|range| range.contains(code))) {
            None => self.refuse(at, "code", item, &allowed()),
            Some(code) if taken.contains(&code) => {
                self.refuse(at, "code", item, "another control has this code already")
            }
            Some(code) => Some(code),
        }
    }

    /// The buttons, in the order of the file; unspecified codes follow in that order.
    fn buttons(&mut self, at: &At<'_>, like: PadStart, given: &mut Given) -> Vec<(PadTarget, u16)> {
        let tables = self.tables(at, "button");
        let said: Vec<Option<u16>> = tables
            .iter()
            .map(|table| {
                self.known(table, BUTTON);
                let code = self.code(table, &given.keys, &BUTTON_CODES);
                given.keys.extend(code);
                code
            })
            .collect();
        let mut free =
            like.button_codes().into_iter().filter(|code| !given.keys.contains(code)).collect::<Vec<_>>().into_iter();
        let mut out = Vec::new();
        for (table, code) in tables.iter().zip(said) {
            let Some(target) = self.button_target(table) else { continue };
            if given.targets.contains(&target) {
                let item = table.table.get("target").unwrap_or(&Item::None);
                let _: Option<()> = self.refuse(table, "target", item, "it is listed twice");
                continue;
            }
            given.targets.push(target);
            match code.or_else(|| if table.table.get("code").is_none() { free.next() } else { None }) {
                Some(code) => {
                    given.keys.push(code);
                    out.push((target, code));
                }
                None if table.table.get("code").is_none() => self
                    .fault(table.span.clone(), format!("{}: no code is left for it", table.name.trim_end_matches('.'))),
                None => {}
            }
        }
        out
    }

    fn axes(&mut self, at: &At<'_>, given: &mut Given) -> Vec<PadAxis> {
        let mut out = Vec::new();
        for table in self.tables(at, "axis") {
            self.known(&table, AXIS);
            let Some(name) = self.text(&table, "axis") else {
                if table.table.get("axis").is_none() {
                    let _: Option<()> = self.missing(&table, "axis", "it has to say which axis of the pad this is");
                }
                continue;
            };
            let item = table.table.get("axis").unwrap_or(&Item::None);
            let Some(lane) = lane_named(name) else {
                let all: Vec<&str> = lane_names().collect();
                let meant = nearest(name, &all).map(|meant| format!("; did you mean \"{meant}\"?")).unwrap_or_default();
                let _: Option<()> = self.refuse(&table, "axis", item, &format!("allowed: {}{meant}", all.join(", ")));
                continue;
            };
            if given.lanes.contains(&lane) {
                let _: Option<()> = self.refuse(&table, "axis", item, "it is listed twice");
                continue;
            }
            given.lanes.push(lane);
            let code = match table.table.get("code") {
                Some(_) => self.code(&table, &given.axes, &[AXIS_CODES]),
                None => self.usual_code(&table, lane, given),
            };
            let bound = i64::from(REACH);
            let ends = [self.number(&table, "min", -bound..bound + 1), self.number(&table, "max", -bound..bound + 1)];
            let usual = axis_of(lane, 0, None).info;
            let [min, max] = [ends[0].map_or(usual.min, |end| end as i32), ends[1].map_or(usual.max, |end| end as i32)];
            if min >= max {
                let item = table.table.get("max").or(table.table.get("min")).unwrap_or(&Item::None);
                let _: Option<()> =
                    self.refuse(&table, "max", item, &format!("it has to be above `min`, which is {min}"));
                continue;
            }
            let Some(code) = code else { continue };
            given.axes.push(code);
            out.push(axis_of(lane, code, Some((min, max))));
        }
        out
    }

    /// The default code of a lane: that of its name, or else the lowest free one.
    fn usual_code(&mut self, table: &At<'_>, lane: usize, given: &Given) -> Option<u16> {
        let common = PadStart::Common.model();
        let own = common.axes.iter().find(|axis| axis.lane == lane).map(|axis| axis.info.code);
        let flown = mantle_core::pad::FLIGHT_AXES.iter().position(|(_, own)| *own == lane).map(|at| at as u16);
        let free = AXIS_CODES.clone().find(|code| !given.axes.contains(code));
        match own.or(flown).filter(|code| !given.axes.contains(code)).or(free) {
            Some(code) => Some(code),
            None => {
                self.fault(table.span.clone(), format!("{}: no code is left for it", table.name.trim_end_matches('.')));
                None
            }
        }
    }

    fn hats(&mut self, at: &At<'_>, pad: &mut OwnPad, given: &mut Given) {
        for table in self.tables(at, "hat") {
            self.known(&table, HAT);
            let number = self.number(&table, "hat", 1..i64::from(HATS) + 1);
            let hat = match (number, table.table.get("hat")) {
                (Some(number), _) => (number - 1) as u8,
                (None, Some(_)) => continue,
                (None, None) => {
                    let _: Option<()> =
                        self.missing(&table, "hat", "it has to say which hat this is, counting from 1, the d-pad");
                    continue;
                }
            };
            let item = table.table.get("hat").unwrap_or(&Item::None);
            if given.hats.contains(&hat) || PadTarget::hat(hat).iter().any(|way| given.targets.contains(way)) {
                let _: Option<()> =
                    self.refuse(&table, "hat", item, "it is listed twice, or its directions are already buttons");
                continue;
            }
            given.hats.push(hat);
            let form = match (self.one_of(&table, "form", &FORMS), table.table.get("form")) {
                (Some(form), _) => FORMS[form],
                (None, Some(_)) => continue,
                (None, None) => FORMS[0],
            };
            match form {
                "buttons" => {
                    let usual = if hat == 0 { Some(DPAD) } else { None };
                    let free: Vec<u16> =
                        BUTTON_CODES[3].clone().filter(|code| !given.keys.contains(code)).take(4).collect();
                    let usual = usual.or_else(|| <[u16; 4]>::try_from(free).ok());
                    let Some(codes) = self.codes(&table, usual, &given.keys, &BUTTON_CODES) else { continue };
                    given.keys.extend(codes);
                    given.targets.extend(PadTarget::hat(hat));
                    pad.buttons.extend(PadTarget::hat(hat).into_iter().zip(codes));
                }
                "axes" => {
                    let free: Vec<u16> = AXIS_CODES.clone().filter(|code| !given.axes.contains(code)).take(2).collect();
                    let usual = <[u16; 2]>::try_from(free).ok();
                    let Some(codes) = self.codes(&table, usual, &given.axes, &[AXIS_CODES]) else { continue };
                    given.axes.extend(codes);
                    pad.hats.push((hat, PadHat { codes, reach: FAR }));
                }
                _ => {
                    let usual = PadHat::usual(hat);
                    let Some(codes) = self.codes(&table, Some(usual.codes), &given.axes, &[0x10..=0x17]) else {
                        continue;
                    };
                    given.axes.extend(codes);
                    pad.hats.push((hat, PadHat { codes, reach: 1 }));
                }
            }
        }
        pad.hats.sort_by_key(|(hat, _)| *hat);
    }

    /// This many codes of a hat, or the default ones.
    fn codes<const N: usize>(
        &mut self,
        at: &At<'_>,
        usual: Option<[u16; N]>,
        taken: &[u16],
        ranges: &[std::ops::RangeInclusive<u16>],
    ) -> Option<[u16; N]> {
        let free = |codes: &[u16; N]| {
            let twice = (1..N).any(|at| codes[..at].contains(&codes[at]));
            !twice && codes.iter().all(|code| !taken.contains(code) && ranges.iter().any(|range| range.contains(code)))
        };
        let Some(item) = at.table.get("codes") else {
            let found = usual.filter(free);
            if found.is_none() {
                let name = at.name.trim_end_matches('.');
                self.fault(at.span.clone(), format!("{name}: the usual codes are taken; give others with `codes`"));
            }
            return found;
        };
        let numbers =
            item.as_array().and_then(|array| array.iter().map(Value::as_integer).collect::<Option<Vec<i64>>>());
        let codes = numbers
            .and_then(|numbers| numbers.into_iter().map(|code| u16::try_from(code).ok()).collect::<Option<Vec<u16>>>());
        match codes.and_then(|codes| <[u16; N]>::try_from(codes).ok()).filter(free) {
            Some(codes) => Some(codes),
            None => {
                let all: Vec<String> = ranges
                    .iter()
                    .map(|range: &std::ops::RangeInclusive<u16>| format!("{:#x} to {:#x}", range.start(), range.end()))
                    .collect();
                self.refuse(
                    at,
                    "codes",
                    item,
                    &format!("expected {N} different codes that nothing else uses: {}", all.join(", ")),
                )
            }
        }
    }
}
