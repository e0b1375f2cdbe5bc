//! Groups of controls: vectors, touch contacts, and the battery.

use super::{At, Reader};
use mantle_core::sheet::{Sheet, SheetBattery, SheetContact, SheetHints, SheetMotion, SheetReceiver};
use toml_edit::{Item, Value};

const MOTION: &[&str] = &["name", "of", "rotation"];
const CONTACT: &[&str] = &["name", "touches", "at"];
const BATTERY: &[&str] = &["level", "charging"];
const CONNECT: &[&str] = &["lamps", "elsewhere", "mode"];
const RECEIVER: &[&str] = &["control", "nobody", "pairs"];
const AS_IT_IS: [[f64; 3]; 3] = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];

/// A fixed number of entries.
fn some<T, const N: usize>(item: &Value, one: impl Fn(&Value) -> Option<T>) -> Option<[T; N]> {
    let all: Option<Vec<T>> = item.as_array()?.iter().map(one).collect();
    all?.try_into().ok()
}

impl Reader<'_> {
    pub(super) fn groups(&mut self, at: &At<'_>, sheet: &mut Sheet) {
        for at in self.tables(at, "motion") {
            self.known(&at, MOTION);
            sheet.motions.extend(self.motion(&at, sheet));
        }
        for at in self.tables(at, "contact") {
            self.known(&at, CONTACT);
            sheet.contacts.extend(self.contact(&at, sheet));
        }
        if let Some(at) = self.below(at, "battery") {
            self.known(&at, BATTERY);
            sheet.battery = self.battery(&at, sheet);
        }
        if let Some(at) = self.below(at, "connect") {
            self.known(&at, CONNECT);
            let mut hint = |key: &str| self.text(&at, key).map(str::to_owned);
            sheet.hints = SheetHints { lamps: hint("lamps"), elsewhere: hint("elsewhere"), mode: hint("mode") };
        }
        if let Some(at) = self.below(at, "receiver") {
            self.known(&at, RECEIVER);
            sheet.receiver = self.receiver(&at, sheet);
        }
    }

    /// The name of one of this sheet's controls.
    fn control_named(&mut self, at: &At<'_>, key: &str, sheet: &Sheet) -> Option<String> {
        let name = self.text(at, key)?.to_owned();
        if sheet.controls.iter().any(|control| control.name == name) {
            return Some(name);
        }
        let item = at.table.get(key).unwrap_or(&Item::None);
        self.refuse(at, key, item, "the name of a control of this sheet is expected")
    }

    fn receiver(&mut self, at: &At<'_>, sheet: &Sheet) -> Option<SheetReceiver> {
        if !at.table.contains_key("control") {
            return self.missing(
                at,
                "control",
                "`control` has to name the control that says whether a controller is connected",
            );
        }
        let control = self.control_named(at, "control", sheet)?;
        let nobody = match at.table.contains_key("nobody") {
            true => self.number(at, "nobody", i64::from(i32::MIN)..i64::from(i32::MAX) + 1)? as i32,
            false => 0,
        };
        Some(SheetReceiver { control, nobody, pairs: self.text(at, "pairs").map(str::to_owned) })
    }

    fn motion(&mut self, at: &At<'_>, sheet: &Sheet) -> Option<SheetMotion> {
        let name = match self.text(at, "name") {
            Some(name) => name.to_owned(),
            None if at.table.contains_key("name") => return None,
            None => return self.missing(at, "name", "such as \"gyro\""),
        };
        let Some(item) = at.table.get("of") else {
            return self.missing(at, "of", "`of` has to name three controls of kind \"motion\"");
        };
        let names = item.as_value().and_then(|value| some::<_, 3>(value, |name| name.as_str().map(str::to_owned)));
        let is_there = |name: &String| sheet.controls.iter().any(|control| control.name == *name);
        let Some(of) = names.filter(|names| names.iter().all(is_there)) else {
            return self.refuse(at, "of", item, "the names of three controls of this sheet are expected");
        };
        let rotation = match at.table.get("rotation") {
            None => AS_IT_IS,
            Some(item) => {
                let number = |value: &Value| value.as_float().or(value.as_integer().map(|whole| whole as f64));
                let rows = item.as_value().and_then(|value| some(value, |row| some(row, number)));
                match rows
                    .filter(|rows: &[[f64; 3]; 3]| rows.iter().flatten().all(|number| (-1.0..=1.0).contains(number)))
                {
                    Some(rows) => rows,
                    None => {
                        let allowed = "three rows of three numbers from -1 to 1 are expected";
                        return self.refuse(at, "rotation", item, allowed);
                    }
                }
            }
        };
        Some(SheetMotion { name, of, rotation })
    }

    fn contact(&mut self, at: &At<'_>, sheet: &Sheet) -> Option<SheetContact> {
        let is_there = |name: &str| sheet.controls.iter().any(|control| control.name == name);
        let name = match self.text(at, "name") {
            Some(name) => name.to_owned(),
            None if at.table.contains_key("name") => return None,
            None => return self.missing(at, "name", "such as \"first finger\""),
        };
        let touches = match (self.text(at, "touches"), at.table.get("touches")) {
            (Some(touches), _) if is_there(touches) => touches.to_owned(),
            (_, Some(item)) => {
                return self.refuse(at, "touches", item, "the name of a control of this sheet is expected");
            }
            (_, None) => {
                return self.missing(
                    at,
                    "touches",
                    "`touches` has to name the control that says whether something touches",
                );
            }
        };
        let Some(item) = at.table.get("at") else {
            return self.missing(at, "at", "`at` has to name two controls: across and down");
        };
        let names = item.as_value().and_then(|value| some(value, |name| name.as_str().map(str::to_owned)));
        match names.filter(|names: &[String; 2]| names.iter().all(|name| is_there(name))) {
            Some(place) => Some(SheetContact { name, touches, at: place }),
            None => self.refuse(at, "at", item, "the names of two controls of this sheet are expected"),
        }
    }

    fn battery(&mut self, at: &At<'_>, sheet: &Sheet) -> Option<SheetBattery> {
        let mut named = |key: &str| self.control_named(at, key, sheet);
        let charging = if at.table.contains_key("charging") { Some(named("charging")?) } else { None };
        match at.table.contains_key("level") {
            true => named("level").map(|level| SheetBattery { level, charging }),
            false => self.missing(at, "level", "`level` has to name the control that says how full it is"),
        }
    }
}
