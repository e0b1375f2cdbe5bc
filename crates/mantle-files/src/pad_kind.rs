//! Kinds of pad as the slots file has them: a name and, for a flight stick, its shape.

use crate::in_place::set;
use mantle_core::pad::{FEWEST_BUTTONS, FLIGHT_AXES, FLIGHT_BUTTONS, FlightShape, HATS, OwnPad, PadKind};
use serde::Deserialize;
use std::sync::Arc;
use toml_edit::{Array, Table};

/// The name of a kind.
#[derive(Deserialize, Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(crate) enum KindName {
    #[default]
    #[serde(rename = "common")]
    Common,
    #[serde(rename = "flight stick")]
    Flight,
    #[serde(rename = "motion pad")]
    Motion,
    #[serde(rename = "keys")]
    Keys,
    #[serde(rename = "own pad")]
    Own,
}

/// Other keys about the kind.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Said<'a> {
    /// Through which kernel interface a common pad is made.
    pub made_by: Option<&'a str>,
    /// The pad file, without its ending.
    pub pad: Option<&'a str>,
    /// The axes of a flight stick.
    pub axes: Option<&'a [String]>,
    /// Its buttons.
    pub buttons: Option<u8>,
    /// Its hats.
    pub hats: Option<u8>,
}

/// Both interfaces, as written.
const WAYS: [&str; 2] = ["uinput", "uhid"];

impl KindName {
    /// The kind, with the other keys about it.
    ///
    /// # Errors
    /// What is impossible, and what is allowed.
    pub fn kind(self, said: Said<'_>) -> Result<PadKind, String> {
        let Said { made_by, pad, axes: names, buttons, hats } = said;
        match self {
            Self::Common => match made_by.unwrap_or(WAYS[0]) {
                "uinput" => Ok(PadKind::Common),
                "uhid" => Ok(PadKind::Apart),
                other => Err(format!("made_by = \"{other}\": a common pad is made by \"uinput\" or \"uhid\"")),
            },
            Self::Motion => Ok(PadKind::Motion),
            Self::Keys => Ok(PadKind::Keys),
            // What the file says becomes known once it is read.
            Self::Own => match pad.map(str::trim).filter(|pad| !pad.is_empty()) {
                Some(pad) => Ok(PadKind::Own(Arc::new(OwnPad::missing(pad)))),
                None => Err("kind = \"own pad\": `pad` has to give the name of its file, without .pad.toml".into()),
            },
            Self::Flight => {
                let usual = FlightShape::USUAL;
                let axes = names.map_or(Ok(usual.axes), axes)?;
                let within = |what: &str, number: Option<u8>, usual: u8, least: u8, most: u8| match number {
                    Some(number) if !(least..=most).contains(&number) => {
                        Err(format!("{what} = {number}: a flight stick has {least} to {most}"))
                    }
                    number => Ok(number.unwrap_or(usual)),
                };
                let buttons = within("buttons", buttons, usual.buttons, FEWEST_BUTTONS, FLIGHT_BUTTONS)?;
                let hats = within("hats", hats, usual.hats, 0, HATS)?;
                Ok(PadKind::Flight(FlightShape::new(axes, buttons, hats)))
            }
        }
    }
}

fn axes(names: &[String]) -> Result<u16, String> {
    let all = || FLIGHT_AXES.iter().map(|(name, _)| *name);
    let bit = |name: &String| {
        let at = all().position(|own| own.eq_ignore_ascii_case(name));
        at.map(|at| 1u16 << at)
            .ok_or_else(|| format!("axes: \"{name}\" is none of {}", all().collect::<Vec<_>>().join(", ")))
    };
    names.iter().map(bit).try_fold(0, |mask, bit| Ok(mask | bit?))
}

/// Writes a kind into a slot's table.
pub(crate) fn put(table: &mut Table, kind: &PadKind) {
    let name = match kind {
        PadKind::Common | PadKind::Apart => "common",
        PadKind::Flight(_) => "flight stick",
        PadKind::Motion => "motion pad",
        PadKind::Keys => "keys",
        PadKind::Own(_) => "own pad",
    };
    set(table, "kind", name);
    match kind {
        PadKind::Apart => set(table, "made_by", WAYS[1]),
        _ => drop(table.remove("made_by")),
    }
    match kind {
        PadKind::Own(own) => set(table, "pad", own.file.as_str()),
        _ => drop(table.remove("pad")),
    }
    match kind {
        PadKind::Flight(shape) => {
            set(table, "axes", shape.axis_names().collect::<Array>());
            set(table, "buttons", i64::from(shape.buttons));
            set(table, "hats", i64::from(shape.hats));
        }
        _ => ["axes", "buttons", "hats"].into_iter().for_each(|key| drop(table.remove(key))),
    }
}
