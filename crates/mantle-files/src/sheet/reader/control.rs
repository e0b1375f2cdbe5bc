//! Controls.

use super::{At, BITS, Reader};
use mantle_core::control::{ControlKind, Packing, Plays, Scale, Translation};
use mantle_core::pad::TARGETS;
use mantle_core::sheet::{SheetControl, Where};
use mantle_hid::Usage;
use toml_edit::Item;

const KINDS: &[&str] = &["button", "axis", "hat", "relative", "key", "pointer", "contact", "motion", "state"];

impl Reader<'_> {
    pub(super) fn control(&mut self, at: &At<'_>) -> Option<SheetControl> {
        let name = match self.text(at, "name") {
            Some(name) if !name.trim().is_empty() => name.to_owned(),
            Some(_) => {
                let item = at.table.get("name").unwrap_or(&Item::None);
                return self.refuse(at, "name", item, "a control needs a name that can be read");
            }
            None if at.table.contains_key("name") => return None,
            None => return self.missing(at, "name", "every control has one"),
        };
        if !at.table.contains_key("kind") {
            return self.missing(at, "kind", &format!("allowed: {}", KINDS.join(", ")));
        }
        let kind = match KINDS[self.one_of(at, "kind", KINDS)?] {
            "button" => ControlKind::Button,
            "axis" => ControlKind::Axis,
            "hat" => ControlKind::Hat,
            "relative" => ControlKind::Relative,
            "pointer" => ControlKind::Pointer,
            "contact" => ControlKind::Contact,
            "motion" => ControlKind::Motion,
            "state" => ControlKind::State,
            _ => ControlKind::Key,
        };
        let source = self.place(at, kind)?;
        let limit = i64::from(i32::MIN)..i64::from(i32::MAX) + 1;
        let (min, max) = (self.number(at, "min", limit.clone()), self.number(at, "max", limit.clone()));
        let range = match (min, max) {
            (Some(min), Some(max)) if min < max => Some((min as i32, max as i32)),
            (Some(_), Some(_)) => {
                let item = at.table.get("max").unwrap_or(&Item::None);
                return self.refuse(at, "max", item, "it has to be larger than `min`");
            }
            (None, None) => None,
            (Some(_), None) => return self.missing(at, "max", "`min` and `max` come together"),
            (None, Some(_)) => return self.missing(at, "min", "`min` and `max` come together"),
        };
        let rest = self.number(at, "rest", limit).map(|rest| rest as i32);
        let plays = match at.table.contains_key("plays") {
            true => Some(self.plays(at, kind)?),
            false => None,
        };
        let translation = self.translation(at)?;
        let scale = self.scale(at)?;
        Some(SheetControl { name, kind, source, range, rest, plays, translation, scale })
    }

    fn translation(&mut self, at: &At<'_>) -> Option<Translation> {
        let mask = match at.table.contains_key("mask") {
            true => Some(self.number(at, "mask", 1..0x1_0000_0000)? as u32),
            false => None,
        };
        let mut values = Vec::new();
        if let Some(item) = at.table.get("values") {
            let whole = |value: &toml_edit::Value| value.as_integer().and_then(|number| i32::try_from(number).ok());
            let pair = |value: &toml_edit::Value| match value.as_array()?.iter().collect::<Vec<_>>().as_slice() {
                [raw, meaning] => Some((whole(raw)?, whole(meaning)?)),
                _ => None,
            };
            let pairs = item.as_array().and_then(|pairs| pairs.iter().map(pair).collect::<Option<Vec<_>>>());
            values = match pairs.filter(|pairs| (1..=256).contains(&pairs.len())) {
                Some(pairs) => pairs,
                None => {
                    let allowed = "1 to 256 pairs are expected: [[raw, meaning], …]";
                    return self.refuse(at, "values", item, allowed);
                }
            };
        }
        let inverted = at.table.contains_key("inverted") && self.flag(at, "inverted")?;
        Some(Translation { mask, values, inverted })
    }

    fn scale(&mut self, at: &At<'_>) -> Option<Option<Scale>> {
        if !["scale", "offset", "unit"].iter().any(|key| at.table.contains_key(key)) {
            return Some(None);
        }
        let any = -1e12..=1e12;
        let mut real = |key: &str, usual: f64| match at.table.contains_key(key) {
            true => self.real(at, key, any.clone()),
            false => Some(usual),
        };
        let (factor, offset) = (real("scale", 1.0)?, real("offset", 0.0)?);
        let unit = match at.table.contains_key("unit") {
            true => self.text(at, "unit")?.to_owned(),
            false => String::new(),
        };
        Some(Some(Scale { factor, offset, unit }))
    }

    fn place(&mut self, at: &At<'_>, kind: ControlKind) -> Option<Where> {
        if let Some(item) = at.table.get("usage") {
            let found = match (item.as_integer(), item.as_str()) {
                (Some(number), _) => u32::try_from(number).ok().filter(|number| *number > 0xffff).map(Usage),
                (_, Some(text)) => Usage::from_name(text),
                _ => None,
            };
            return match found {
                Some(usage) => Some(Where::Usage(usage)),
                None => self.refuse(
                    at,
                    "usage",
                    item,
                    "a name such as \"button 3\", \"X\" or \"hat\", or a number with its page, such as 0x00090003, is expected",
                ),
            };
        }
        if !at.table.contains_key("at") {
            return self.missing(at, "at", "say where it is: `usage`, or `at` and `size` in bits");
        }
        let report = self.report(at)?;
        let first = self.number(at, "at", 0..BITS)? as u32;
        let size = match at.table.contains_key("size") {
            true => self.number(at, "size", 1..33)? as u8,
            false if matches!(kind, ControlKind::Button | ControlKind::Key) => 1,
            false => return self.missing(at, "size", "only a button has one bit by default"),
        };
        let packing = match at.table.contains_key("packing") {
            true => [Packing::Little, Packing::Big][self.one_of(at, "packing", &["little", "big"])?],
            false => Packing::Little,
        };
        let signed = at.table.contains_key("signed") && self.flag(at, "signed")?;
        if signed && size == 1 {
            let item = at.table.get("signed").unwrap_or(&Item::None);
            return self.refuse(at, "signed", item, "one bit has no sign");
        }
        Some(Where::Bits { report, at: first, size, packing, signed })
    }

    fn plays(&mut self, at: &At<'_>, kind: ControlKind) -> Option<Plays> {
        let sticks = ["left stick X", "left stick Y", "right stick X", "right stick Y"];
        let buttons = &TARGETS[..17];
        let mut words: Vec<&str> = match kind {
            ControlKind::Button | ControlKind::Key => buttons.iter().map(|target| target.name()).collect(),
            ControlKind::Axis => sticks.into_iter().chain(["left trigger", "right trigger"]).collect(),
            ControlKind::Hat => vec!["d-pad"],
            _ => Vec::new(),
        };
        if words.is_empty() {
            let item = at.table.get("plays").unwrap_or(&Item::None);
            return self.refuse(at, "plays", item, "controls that report movement have to be bound by hand");
        }
        words.dedup();
        let word = words[self.one_of(at, "plays", &words)?];
        Some(match (kind, sticks.iter().position(|stick| *stick == word)) {
            (ControlKind::Hat, _) => Plays::DPad,
            (_, Some(axis)) => Plays::Stick(axis as u8),
            _ => Plays::Target(buttons.iter().copied().find(|target| target.name() == word)?),
        })
    }
}
