//! The slots file: who sits where, across restarts. Documented in docs/slots-file.md.
//!
//! The person's own text in it (comments, order, unknown keys) survives our saves.

use crate::fault::FileFault;
use crate::in_place::set;
use crate::pad_kind::{self, KindName, Said};
use mantle_core::control::Calibration;
use mantle_core::device::{Bus, Key};
use mantle_core::keys::KeyTarget;
use mantle_core::slot::{Feedback, LampChoice, MOST_RUMBLE};
use mantle_core::slot::{Remembered, RememberedSlot, SlotNumber};
use serde::Deserialize;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

/// The name of the file.
pub const FILE: &str = "slots.toml";
/// The version of the file format.
pub const VERSION: i64 = 1;

#[derive(Deserialize)]
struct Slots {
    version: i64,
    #[serde(default)]
    slot: Vec<SlotEntry>,
    #[serde(default)]
    taken_out: Vec<DeviceEntry>,
    #[serde(default)]
    left_to_game: Vec<DeviceEntry>,
    #[serde(default)]
    pointers: Vec<DeviceEntry>,
    #[serde(default)]
    shared_serials: Vec<DeviceEntry>,
    #[serde(default)]
    triggers_turned: Vec<DeviceEntry>,
    #[serde(default)]
    calibrated: Vec<CalibratedEntry>,
    #[serde(default)]
    nickname: Vec<NicknameEntry>,
    #[serde(default)]
    same: Vec<SameEntry>,
    #[serde(default)]
    locked: bool,
    #[serde(default)]
    sit_by_two: bool,
    #[serde(default)]
    types_here: bool,
    #[serde(default)]
    may_type: Vec<AgreedEntry>,
}

#[derive(Deserialize)]
struct SameEntry {
    #[serde(default)]
    device: Vec<DeviceEntry>,
}

#[derive(Deserialize)]
struct NicknameEntry {
    called: String,
    #[serde(flatten)]
    device: DeviceEntry,
}

#[derive(Deserialize)]
struct AgreedEntry {
    profile: String,
    #[serde(default)]
    keys: Vec<String>,
}

#[derive(Deserialize)]
struct CalibratedEntry {
    #[serde(flatten)]
    device: DeviceEntry,
    #[serde(default)]
    axis: Vec<AxisEntry>,
}

#[derive(Deserialize)]
struct AxisEntry {
    name: String,
    low: i32,
    rest: i32,
    high: i32,
    #[serde(default)]
    noise: i32,
}

#[derive(Deserialize)]
struct SlotEntry {
    number: SlotNumber,
    #[serde(default)]
    kind: KindName,
    made_by: Option<String>,
    pad: Option<String>,
    axes: Option<Vec<String>>,
    buttons: Option<u8>,
    hats: Option<u8>,
    #[serde(default = "plain")]
    profile: String,
    rumble: Option<i64>,
    lamp: Option<String>,
    away_since: Option<u64>,
    #[serde(default)]
    device: Vec<DeviceEntry>,
}

/// What comes back to a slot's devices.
///
/// # Errors
/// What is wrong with it.
fn feedback(rumble: Option<i64>, lamp: Option<&str>) -> Result<Feedback, String> {
    let own = Feedback::default();
    let rumble = match rumble {
        Some(percent) => u8::try_from(percent)
            .ok()
            .filter(|percent| *percent <= MOST_RUMBLE)
            .ok_or_else(|| format!("rumble is {percent}; it has to be 0 to {MOST_RUMBLE} percent"))?,
        None => own.rumble,
    };
    let lamp = match lamp {
        Some(text) => LampChoice::named(text).ok_or_else(|| {
            format!("lamp is {text:?}: \"slot\", \"battery\", \"off\" or a colour such as \"#ff8000\" is allowed")
        })?,
        None => own.lamp,
    };
    Ok(Feedback { rumble, lamp })
}

fn plain() -> String {
    mantle_core::table::PLAIN.into()
}

#[derive(Deserialize)]
struct DeviceEntry {
    #[serde(default)]
    name: String,
    bus: u16,
    vendor: u16,
    product: u16,
    #[serde(default)]
    serial: String,
    port: Option<String>,
    #[serde(default)]
    part: u8,
}

impl DeviceEntry {
    fn key(self) -> Key {
        Key {
            bus: Bus(self.bus),
            vendor: self.vendor,
            product: self.product,
            name: self.name,
            uniq: self.serial,
            port: self.port,
            part: self.part,
        }
    }
}

/// Reads a slots file.
///
/// # Errors
/// The first fault, with its line and column. Such a file must not be overwritten.
pub fn parse(path: &str, text: &str) -> Result<Remembered, FileFault> {
    let file: Slots = toml::from_str(text).map_err(|error| FileFault::from_toml(path, text, &error))?;
    if file.version != VERSION {
        let message = format!("version {} is unknown; this program reads {VERSION}", file.version);
        return Err(FileFault::whole(path, message));
    }
    let mut slots: Vec<RememberedSlot> = Vec::new();
    for entry in file.slot {
        if slots.iter().any(|slot| slot.number == entry.number) {
            return Err(FileFault::whole(path, format!("{} is listed twice", entry.number)));
        }
        slots.push(RememberedSlot {
            number: entry.number,
            kind: entry
                .kind
                .kind(Said {
                    made_by: entry.made_by.as_deref(),
                    pad: entry.pad.as_deref(),
                    axes: entry.axes.as_deref(),
                    buttons: entry.buttons,
                    hats: entry.hats,
                })
                .map_err(|message| FileFault::whole(path, format!("{}: {message}", entry.number)))?,
            profile: entry.profile,
            feedback: feedback(entry.rumble, entry.lamp.as_deref())
                .map_err(|message| FileFault::whole(path, format!("{}: {message}", entry.number)))?,
            members: entry.device.into_iter().map(DeviceEntry::key).collect(),
            away_since: entry.away_since,
        });
    }
    slots.sort_by_key(|slot| slot.number);
    let keys = |entries: Vec<DeviceEntry>| entries.into_iter().map(DeviceEntry::key).collect();
    let mut calibrated = Vec::new();
    for entry in file.calibrated {
        let mut axes = Vec::new();
        for AxisEntry { name, low, rest, high, noise } in entry.axis {
            let calibration = Calibration { low, rest, high, noise };
            if !calibration.is_whole() {
                let device = &entry.device.name;
                let message = format!(
                    "calibrated: {device}, {name}: low has to be below high, rest between them, noise 0 or more"
                );
                return Err(FileFault::whole(path, message));
            }
            axes.push((name, calibration));
        }
        calibrated.push((entry.device.key(), axes));
    }
    let (taken_out, left_to_game, pointers) = (keys(file.taken_out), keys(file.left_to_game), keys(file.pointers));
    let (triggers_turned, shared_serials) = (keys(file.triggers_turned), keys(file.shared_serials));
    let mut agreed = Vec::new();
    for AgreedEntry { profile, keys } in file.may_type {
        // A name that no longer exists may not be typed, and is asked for again.
        let mut strokes: Vec<KeyTarget> = keys.iter().filter_map(|name| KeyTarget::named(name)).collect();
        strokes.sort();
        strokes.dedup();
        agreed.push((profile, strokes));
    }
    let (types_here, locked, sit_by_two) = (file.types_here, file.locked, file.sit_by_two);
    let nicknames = file.nickname.into_iter().map(|entry| (entry.device.key(), entry.called)).collect();
    let same =
        file.same.into_iter().map(|entry| keys(entry.device)).filter(|group: &Vec<Key>| group.len() > 1).collect();
    Ok(Remembered {
        same,
        slots,
        taken_out,
        left_to_game,
        pointers,
        shared_serials,
        calibrated,
        triggers_turned,
        agreed,
        types_here,
        nicknames,
        locked,
        sit_by_two,
    })
}

/// The text of a slots file with this memory; `before` is the present file, whose other text is kept.
///
/// # Errors
/// The fault of `before`, which must not be overwritten then.
pub fn render(path: &str, before: &str, remembered: &Remembered) -> Result<String, FileFault> {
    let mut document: DocumentMut = if before.trim().is_empty() {
        // A comment alone would stand behind everything that follows.
        "# Who sits where. Written by placid-mantle; edits and comments are kept.\nversion = 1\n".parse::<DocumentMut>()
    } else {
        parse(path, before)?;
        before.parse::<DocumentMut>()
    }
    .map_err(|error| FileFault::whole(path, error.to_string()))?;
    document["version"] = value(VERSION);
    let mut slots = ArrayOfTables::new();
    let old = document.get("slot").and_then(Item::as_array_of_tables).cloned().unwrap_or_default();
    for slot in &remembered.slots {
        let number = i64::from(slot.number.number());
        let known = old.iter().find(|t| t.get("number").and_then(Item::as_integer) == Some(number));
        let mut table = known.cloned().unwrap_or_default();
        set(&mut table, "number", number);
        pad_kind::put(&mut table, &slot.kind);
        set(&mut table, "profile", slot.profile.as_str());
        let usual = Feedback::default();
        match slot.feedback.rumble {
            rumble if rumble == usual.rumble => drop(table.remove("rumble")),
            rumble => set(&mut table, "rumble", i64::from(rumble)),
        }
        match slot.feedback.lamp {
            lamp if lamp == usual.lamp => drop(table.remove("lamp")),
            lamp => set(&mut table, "lamp", lamp.text()),
        }
        match slot.away_since.and_then(|since| i64::try_from(since).ok()) {
            Some(since) => set(&mut table, "away_since", since),
            None => drop(table.remove("away_since")),
        }
        let old_devices = table.get("device").and_then(Item::as_array_of_tables).cloned().unwrap_or_default();
        table.insert("device", Item::ArrayOfTables(devices(&slot.members, &old_devices)));
        slots.push(table);
    }
    document.insert("slot", Item::ArrayOfTables(slots));
    for (name, keys) in [
        ("taken_out", &remembered.taken_out),
        ("left_to_game", &remembered.left_to_game),
        ("pointers", &remembered.pointers),
        ("shared_serials", &remembered.shared_serials),
        ("triggers_turned", &remembered.triggers_turned),
    ] {
        let old = document.get(name).and_then(Item::as_array_of_tables).cloned().unwrap_or_default();
        put(&mut document, name, devices(keys, &old));
    }
    let old = document.get("calibrated").and_then(Item::as_array_of_tables).cloned().unwrap_or_default();
    let keys: Vec<Key> = remembered.calibrated.iter().map(|(key, _)| key.clone()).collect();
    let mut tables = devices(&keys, &old);
    for (table, (_, axes)) in tables.iter_mut().zip(&remembered.calibrated) {
        let before = table.get("axis").and_then(Item::as_array_of_tables).cloned().unwrap_or_default();
        table.insert("axis", Item::ArrayOfTables(calibrated(axes, &before)));
    }
    put(&mut document, "calibrated", tables);
    for (name, is) in
        [("types_here", remembered.types_here), ("locked", remembered.locked), ("sit_by_two", remembered.sit_by_two)]
    {
        match is {
            true => document[name] = value(true),
            false => drop(document.remove(name)),
        }
    }
    let old = document.get("nickname").and_then(Item::as_array_of_tables).cloned().unwrap_or_default();
    let keys: Vec<Key> = remembered.nicknames.iter().map(|(key, _)| key.clone()).collect();
    let mut tables = devices(&keys, &old);
    for (table, (_, called)) in tables.iter_mut().zip(&remembered.nicknames) {
        set(table, "called", called.as_str());
    }
    put(&mut document, "nickname", tables);
    let old = document.get("same").and_then(Item::as_array_of_tables).cloned().unwrap_or_default();
    let mut tables = ArrayOfTables::new();
    for (at, group) in remembered.same.iter().enumerate() {
        let mut table = old.get(at).cloned().unwrap_or_default();
        let before = table.get("device").and_then(Item::as_array_of_tables).cloned().unwrap_or_default();
        table.insert("device", Item::ArrayOfTables(devices(group, &before)));
        tables.push(table);
    }
    put(&mut document, "same", tables);
    let old = document.get("may_type").and_then(Item::as_array_of_tables).cloned().unwrap_or_default();
    let mut tables = ArrayOfTables::new();
    for (profile, strokes) in &remembered.agreed {
        let same = |table: &&Table| table.get("profile").and_then(Item::as_str) == Some(profile.as_str());
        let mut table = old.iter().find(same).cloned().unwrap_or_default();
        set(&mut table, "profile", profile.as_str());
        set(&mut table, "keys", strokes.iter().map(|stroke| stroke.name()).collect::<toml_edit::Array>());
        tables.push(table);
    }
    put(&mut document, "may_type", tables);
    Ok(document.to_string())
}

fn calibrated(axes: &[(String, Calibration)], old: &ArrayOfTables) -> ArrayOfTables {
    let mut out = ArrayOfTables::new();
    for (name, calibration) in axes {
        let same = |table: &&Table| table.get("name").and_then(Item::as_str) == Some(name.as_str());
        let mut table = old.iter().find(same).cloned().unwrap_or_default();
        set(&mut table, "name", name.as_str());
        let Calibration { low, rest, high, noise } = *calibration;
        for (key, number) in [("low", low), ("rest", rest), ("high", high), ("noise", noise)] {
            set(&mut table, key, i64::from(number));
        }
        out.push(table);
    }
    out
}

/// A list of tables; an empty list is removed.
fn put(document: &mut DocumentMut, name: &str, tables: ArrayOfTables) {
    match tables.is_empty() {
        true => drop(document.remove(name)),
        false => drop(document.insert(name, Item::ArrayOfTables(tables))),
    }
}

fn devices(keys: &[Key], old: &ArrayOfTables) -> ArrayOfTables {
    let mut out = ArrayOfTables::new();
    for key in keys {
        let same = |table: &&Table| {
            let number = |name: &str| table.get(name).and_then(Item::as_integer);
            number("vendor") == Some(key.vendor.into())
                && number("product") == Some(key.product.into())
                && number("part").unwrap_or(0) == i64::from(key.part)
                && table.get("serial").and_then(Item::as_str).unwrap_or("") == key.uniq
        };
        let mut table = old.iter().find(same).cloned().unwrap_or_default();
        set(&mut table, "name", key.name.as_str());
        set(&mut table, "bus", i64::from(key.bus.0));
        set(&mut table, "vendor", i64::from(key.vendor));
        set(&mut table, "product", i64::from(key.product));
        if !key.uniq.is_empty() {
            set(&mut table, "serial", key.uniq.as_str());
        }
        match &key.port {
            Some(port) => set(&mut table, "port", port.as_str()),
            None => drop(table.remove("port")),
        }
        set(&mut table, "part", i64::from(key.part));
        out.push(table);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::pad::{FlightShape, PadKind};
    use proptest::prelude::*;

    #[test]
    fn unknown_kinds_and_impossible_sticks_are_reported() {
        let fault = |text: &str| {
            let text = format!("version = 1\n[[slot]]\nnumber = 2\n{text}\n");
            parse("slots.toml", &text).expect_err("it is refused").to_string()
        };
        let said = fault("kind = \"wheel of fortune\"");
        assert!(said.contains("slots.toml:4") && said.contains("flight stick"), "{said}");
        let said = fault("kind = \"flight stick\"\naxes = [\"X\", \"Q\"]");
        assert!(said.contains("slot 2: axes: \"Q\" is none of X, Y, Z"), "{said}");
        let said = fault("rumble = 201");
        assert!(said.contains("slot 2: rumble is 201; it has to be 0 to 200 percent"), "{said}");
        let said = fault("lamp = \"orange\"");
        assert!(said.contains("slot 2: lamp is \"orange\"") && said.contains("#ff8000"), "{said}");
        let said = fault("kind = \"flight stick\"\nbuttons = 80");
        assert!(said.contains("buttons = 80: a flight stick has 2 to 56"), "{said}");
    }

    fn key() -> impl Strategy<Value = Key> {
        (any::<u16>(), any::<u16>(), "[ -~]{0,12}", "[ -~]{0,8}", proptest::option::of("[0-9.-]{1,6}"), 0u8..8)
            .prop_map(|(vendor, product, name, uniq, port, part)| Key {
                bus: Bus::USB,
                vendor,
                product,
                name,
                uniq,
                port,
                part,
            })
    }

    fn remembered() -> impl Strategy<Value = Remembered> {
        let slot = |number: u8| {
            let flight = (1u16..2048, 2u8..=56, 0u8..=4);
            let flight =
                flight.prop_map(|(axes, buttons, hats)| PadKind::Flight(FlightShape::new(axes, buttons, hats)));
            let own = PadKind::Own(std::sync::Arc::new(mantle_core::pad::OwnPad::missing("quay wheel")));
            let kind = prop_oneof![
                Just(own),
                Just(PadKind::Common),
                Just(PadKind::Apart),
                flight,
                Just(PadKind::Motion),
                Just(PadKind::Keys)
            ];
            let away = proptest::option::of(0u64..1 << 40);
            let lamp = prop_oneof![
                Just(LampChoice::Slot),
                Just(LampChoice::Battery),
                Just(LampChoice::Off),
                any::<[u8; 3]>().prop_map(LampChoice::Colour)
            ];
            let feedback = (0..=MOST_RUMBLE, lamp).prop_map(|(rumble, lamp)| Feedback { rumble, lamp });
            ("[a-z]{1,8}", prop::collection::vec(key(), 1..3), kind, away, feedback).prop_map(
                move |(profile, members, kind, away_since, feedback)| RememberedSlot {
                    feedback,
                    number: SlotNumber::new(number).expect("a slot"),
                    kind,
                    profile,
                    members,
                    away_since,
                },
            )
        };
        let keys = || prop::collection::vec(key(), 0..3);
        let axis = ("[ -~]{1,9}", any::<[u16; 3]>(), 0i32..99).prop_map(|(name, mut at, noise)| {
            at.sort_unstable();
            let [low, rest, high] = at.map(i32::from);
            (name, Calibration { low, rest, high: high + 1, noise })
        });
        let calibrated = prop::collection::vec((key(), prop::collection::vec(axis, 0..3)), 0..3);
        let strokes = prop::collection::btree_set(0..100u8, 0..4);
        let strokes = strokes.prop_map(|all| all.into_iter().filter_map(|at| KeyTarget::try_from(at).ok()).collect());
        let agreed = prop::collection::vec(("[a-z]{1,8}", strokes), 0..3);
        let known = (keys(), keys(), keys());
        let nicknames = prop::collection::vec((key(), "[a-z ]{1,8}"), 0..3);
        let flags = (any::<bool>(), any::<bool>(), any::<bool>());
        let same = prop::collection::vec(prop::collection::vec(key(), 2..4), 0..3);
        let all = (slot(1), slot(4), keys(), keys(), known, calibrated, agreed, (nicknames, same, flags));
        all.prop_map(|(a, b, taken_out, left_to_game, known, calibrated, agreed, (nicknames, same, flags))| {
            Remembered {
                same,
                nicknames,
                locked: flags.1,
                sit_by_two: flags.2,
                shared_serials: known.0,
                triggers_turned: known.1,
                pointers: known.2,
                slots: vec![a, b],
                taken_out,
                left_to_game,
                calibrated,
                agreed,
                types_here: flags.0,
            }
        })
    }

    proptest! {
        #[test]
        fn written_files_read_back_the_same(memory in remembered(), next in remembered()) {
            let text = render("slots.toml", "", &memory).expect("an empty file");
            prop_assert!(text.starts_with("# Who sits where"), "{}", text);
            prop_assert_eq!(&parse("slots.toml", &text).expect("our own text"), &memory);
            let text = render("slots.toml", &text, &next).expect("our own text");
            prop_assert_eq!(parse("slots.toml", &text).expect("our own text"), next);
        }

        #[test]
        fn any_text_is_handled_without_panic(text in "(?s).{0,200}") {
            let _ = parse("slots.toml", &text);
        }
    }

    #[test]
    fn comments_order_and_unknown_keys_survive_a_save() {
        let before = "# our living room\nversion = 1\nmood = \"calm\"\n\n[[slot]]\nnumber = 2 # mine\nkind = \"common\"\n\
                      profile = \"garden\" # the good one\nchair = \"left\"\n[[slot.device]]\nname = \"Quay pad\"\nbus = 3\n\
                      vendor = 4617\nproduct = 2\npart = 0\nsticker = \"blue\"\n";
        let mut memory = parse("slots.toml", before).expect("a good file");
        memory.slots[0].profile = "ferry".into();
        memory.slots[0].members[0].port = Some("1-4".into());
        let after = render("slots.toml", before, &memory).expect("a good file");
        for kept in ["# our living room", "mood = \"calm\"", "number = 2 # mine", "profile = \"ferry\" # the good one"]
        {
            assert!(after.contains(kept), "{kept} is lost:\n{after}");
        }
        assert!(after.contains("chair = \"left\"") && after.contains("sticker = \"blue\""), "{after}");
    }

    #[test]
    fn a_damaged_file_is_reported_and_not_overwritten() {
        let damaged = "version = 1\n[[slot]]\nnumber = 9\n";
        let fault = parse("slots.toml", damaged).expect_err("slot 9");
        assert_eq!((fault.line, fault.column), (3, 10));
        assert!(fault.message.contains("slot 9 is not within 1 to 8"), "{fault}");
        assert!(render("slots.toml", damaged, &Remembered::default()).is_err());
    }
}
