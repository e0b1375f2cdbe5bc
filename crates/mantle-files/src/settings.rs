//! The settings file: general settings. Documented in docs/settings.md.

use crate::fault::FileFault;
use crate::pointed::{At, Reader, read};
use mantle_core::pad::PadTarget;
use mantle_core::path::NewsKind;
use mantle_core::preferences::Preferences;
use mantle_core::suggest::nearest;
use mantle_core::time::Micros;
use std::path::Path;
use toml_edit::{DocumentMut, Item, Table, Value};

/// The file's name, in our configuration directory.
pub const FILE: &str = "settings.toml";
/// The value for keeping a slot for ever.
const FOR_GOOD: &str = "for good";
/// The value for any two buttons.
const ANY: &str = "any";
/// Units of time in seconds.
const UNITS: [(&str, u64); 3] = [("min", 60), ("h", 3600), ("days", 86_400)];
/// The longest time in days: a hundred years.
const MOST_DAYS: u64 = 36_500;

/// Reads a settings file. Returns its valid settings, with defaults for all others, and its faults.
#[must_use]
pub fn parse(path: &str, text: &str) -> (Preferences, Vec<FileFault>) {
    let (made, faults) = read(path, text, &["version", "slots", "limits", "news", "screen", "serve"], |reader, at| {
        let mut own = Preferences::default();
        if let Some(slots) = section(reader, at, "slots", &["keep", "sit-down"]) {
            let allowed = "\"for good\" is allowed, or a time such as \"90 min\", \"12 h\" or \"30 days\"";
            own.kept = understood(reader, &slots, "keep", span, allowed).unwrap_or(own.kept);
            let allowed = "\"any\" is allowed, or two buttons by what they play, such as \"Select + Start\"";
            own.sit_down = understood(reader, &slots, "sit-down", two, allowed).unwrap_or(own.sit_down);
        }
        if let Some(limits) = section(reader, at, "limits", &["battery", "delay", "late", "lost"]) {
            if let Some(percent) = reader.real(&limits, "battery", 0.0..=100.0) {
                own.limits.battery = (percent / 100.0) as f32;
            }
            if let Some(ms) = reader.real(&limits, "delay", 1.0..=10_000.0) {
                own.limits.delay = Micros((ms * 1000.0) as u64);
            }
            if let Some(ms) = reader.real(&limits, "late", 0.1..=1_000.0) {
                own.limits.late = Micros((ms * 1000.0) as u64);
            }
            if let Some(percent) = reader.real(&limits, "lost", 0.0..=100.0) {
                own.limits.lost = (percent / 100.0) as f32;
            }
        }
        let kinds = NewsKind::ALL.map(NewsKind::key);
        if let Some(news) = section(reader, at, "news", &[&["desktop", "lamp", "rumble"], &kinds[..]].concat()) {
            for (key, way) in
                [("desktop", &mut own.news.desktop), ("lamp", &mut own.news.lamp), ("rumble", &mut own.news.rumble)]
            {
                *way = reader.flag(&news, key).unwrap_or(*way);
            }
            for kind in NewsKind::ALL {
                if let Some(told) = reader.flag(&news, kind.key()) {
                    own.news.set(kind, told);
                }
            }
        }
        if let Some(screen) = section(reader, at, "screen", &["trust-focus"]) {
            own.trusts_focus = reader.flag(&screen, "trust-focus").unwrap_or(own.trusts_focus);
        }
        if let Some(serve) = section(reader, at, "serve", &["cover"]) {
            own.covers_served = reader.flag(&serve, "cover").unwrap_or(own.covers_served);
        }
        Some(own)
    });
    (made.unwrap_or_default(), faults)
}

/// A top-level table with these keys.
fn section<'t>(reader: &mut Reader<'_>, at: &At<'t>, key: &str, known: &[&str]) -> Option<At<'t>> {
    let own = reader.below(at, key)?;
    reader.known(&own, known);
    Some(own)
}

/// A text with a meaning; otherwise reports what is `allowed`.
fn understood<T>(
    reader: &mut Reader<'_>,
    at: &At<'_>,
    key: &str,
    meant: impl Fn(&str) -> Option<T>,
    allowed: &str,
) -> Option<T> {
    let found = meant(reader.text(at, key)?);
    if found.is_some() {
        return found;
    }
    reader.refuse(at, key, at.table.get(key)?, allowed)
}

/// A time, or for ever; none if it is neither.
fn span(text: &str) -> Option<Option<Micros>> {
    let text = text.trim();
    if text == FOR_GOOD {
        return Some(None);
    }
    let digits = text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len());
    let (count, unit) = text.split_at(digits);
    let count: u64 = count.parse().ok()?;
    let unit = match unit.trim() {
        "day" => "days",
        unit => unit,
    };
    let (_, seconds) = UNITS.iter().find(|(own, _)| *own == unit)?;
    let all = count.checked_mul(*seconds).filter(|all| (1..=MOST_DAYS * 86_400).contains(all))?;
    Some(Some(Micros::seconds(all)))
}

/// Two buttons, by what they play, or any; none if it is neither.
fn two(text: &str) -> Option<Option<[PadTarget; 2]>> {
    if text.trim() == ANY {
        return Some(None);
    }
    let (one, other) = text.split_once('+')?;
    let both = [PadTarget::named(one)?, PadTarget::named(other)?];
    let fine = both[0] != both[1] && both.into_iter().all(|target| !target.is_stick() && !target.is_whole());
    fine.then_some(Some(both))
}

/// A time as written in the file.
fn written(kept: Option<Micros>) -> String {
    let Some(kept) = kept else { return FOR_GOOD.into() };
    let seconds = kept.0 / 1_000_000;
    let (unit, of) = UNITS.into_iter().rev().find(|(_, of)| seconds % of == 0).unwrap_or(("min", 60));
    format!("{} {unit}", seconds / of)
}

/// The settings of a file; the defaults if it does not exist.
#[must_use]
pub fn open(path: &Path) -> (Preferences, Vec<FileFault>) {
    let shown = path.display().to_string();
    match crate::bounded::read_if_there(path, crate::bounded::SETTINGS_BYTES) {
        Ok(text) => text.map(|text| parse(&shown, &text)).unwrap_or_default(),
        Err(error) => (Preferences::default(), vec![FileFault::whole(&shown, error.to_string())]),
    }
}

/// Every setting: its key and its value, as written in the file.
#[must_use]
pub fn all(own: &Preferences) -> Vec<(String, String)> {
    let mut all = vec![
        ("slots.keep".to_owned(), format!("\"{}\"", written(own.kept))),
        (
            "slots.sit-down".into(),
            format!("\"{}\"", own.sit_down.map_or(ANY.into(), |[a, b]| format!("{} + {}", a.name(), b.name()))),
        ),
        ("limits.battery".into(), format!("{}", (f64::from(own.limits.battery) * 1000.0).round() / 10.0)),
        ("limits.delay".into(), format!("{}", own.limits.delay.0 as f64 / 1000.0)),
        ("limits.late".into(), format!("{}", own.limits.late.0 as f64 / 1000.0)),
        ("limits.lost".into(), format!("{}", (f64::from(own.limits.lost) * 1000.0).round() / 10.0)),
        ("news.desktop".into(), own.news.desktop.to_string()),
        ("news.lamp".into(), own.news.lamp.to_string()),
        ("news.rumble".into(), own.news.rumble.to_string()),
    ];
    let mut told = own.news;
    told.desktop = true;
    all.extend(NewsKind::ALL.map(|kind| (format!("news.{}", kind.key()), told.tells(kind).to_string())));
    all.push(("screen.trust-focus".into(), own.trusts_focus.to_string()));
    all.push(("serve.cover".into(), own.covers_served.to_string()));
    all
}

/// The text of a settings file with one setting changed; `before` is the present file, whose other text is kept.
///
/// # Errors
/// In words: there is no such key, the value is not allowed, or `before` cannot be read.
pub fn put(path: &str, before: &str, key: &str, text: &str) -> Result<String, String> {
    let known: Vec<String> = all(&Preferences::default()).into_iter().map(|(key, _)| key).collect();
    let Some((section, name)) = key.split_once('.').filter(|_| known.iter().any(|own| own == key)) else {
        let names: Vec<&str> = known.iter().map(String::as_str).collect();
        let meant = nearest(key, &names).map(|meant| format!("; did you mean {meant}?")).unwrap_or_default();
        return Err(format!("there is no setting {key}{meant}"));
    };
    let start = if before.trim().is_empty() { "# See docs/settings.md.\nversion = 1\n" } else { before };
    if let (_, faults) = parse(path, start)
        && let Some(first) = faults.first()
    {
        return Err(format!("{}; nothing is changed", first.sentence().trim_end_matches('.')));
    }
    let mut document: DocumentMut = start.parse().map_err(|error| format!("{path}: {error}"))?;
    let mut value: Value = text.parse().unwrap_or_else(|_| Value::from(text));
    if !document.contains_key(section) {
        document.insert(section, Item::Table(Table::new()));
    }
    let table = document[section].as_table_like_mut().ok_or_else(|| format!("{path}: {section} is no table"))?;
    if let Some(old) = table.get(name).and_then(Item::as_value) {
        *value.decor_mut() = old.decor().clone();
    }
    table.insert(name, Item::Value(value));
    let after = document.to_string();
    match parse(path, &after).1.first() {
        Some(fault) => Err(fault.message.clone()),
        None => Ok(after),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn every_setting_is_accepted_and_mistakes_are_located() {
        let text = "version = 1\n[slots]\nkeep = \"30 days\"\nsit-down = \"Select + left shoulder\"\n[limits]\nbattery = 15\ndelay = 40\nlate = 2.5\nlost = 7\n\
                    [news]\ndesktop = true\nbattery = false\n[screen]\ntrust-focus = false\n[serve]\ncover = false\n";
        let (own, faults) = parse("settings.toml", text);
        assert_eq!(faults, []);
        assert_eq!(own.kept, Some(Micros::seconds(30 * 86_400)));
        assert_eq!(own.sit_down, Some([PadTarget::Select, PadTarget::LeftShoulder]));
        assert!((own.limits.battery - 0.15).abs() < 1e-6 && own.limits.delay == Micros::millis(40));
        assert!((own.limits.lost - 0.07).abs() < 1e-6 && own.limits.late == Micros(2_500));
        assert!(!own.news.tells(NewsKind::Battery) && own.news.tells(NewsKind::Stops));
        assert!(!own.trusts_focus && !own.covers_served);
        for (text, line, column, says) in [
            ("version = 1\n[slots]\nkeep = \"a while\"\n", 3, 8, "\"90 min\""),
            ("version = 1\n[slots]\nkeep = \"0 h\"\n", 3, 8, "\"for good\""),
            ("version = 1\n[slots]\nsit-down = \"Start\"\n", 3, 12, "\"any\""),
            ("version = 1\n[slots]\nsit-down = \"Start + Start\"\n", 3, 12, "two buttons"),
            ("version = 1\n[slots]\nsit-down = \"Start + left stick up\"\n", 3, 12, "by what they play"),
            ("version = 1\n[limits]\nbattery = 120\n", 3, 11, "from 0 to 100"),
            ("version = 1\n[limits]\nlate = 0\n", 3, 8, "from 0.1 to 1000"),
            ("version = 1\n[limits]\nlost = -1\n", 3, 8, "from 0 to 100"),
            ("version = 1\n[news]\nbatery = true\n", 3, 1, "battery"),
            ("version = 1\n[news]\nbattery = 1\n", 3, 11, "true or false"),
            ("version = 2\n", 1, 11, "version 1"),
            ("version = 1\n[limits\n", 2, 8, ""),
        ] {
            let (own, faults) = parse("settings.toml", text);
            let first = faults.first().unwrap_or_else(|| panic!("{text} is said to be right"));
            assert_eq!((first.line, first.column), (line, column), "{first}");
            assert!(first.message.contains(says), "{first}");
            assert_eq!(own, Preferences::default(), "{text}");
        }
    }

    #[test]
    fn a_setting_is_edited_in_place() {
        let before = "# mine\nversion = 1\n\n[limits] # these\nbattery = 15 # percent\n";
        let after = put("settings.toml", before, "limits.battery", "30").expect("it can be set");
        assert_eq!(after, before.replace("15 #", "30 #"));
        let after = put("settings.toml", &after, "slots.keep", "12 h").expect("it can be set");
        assert_eq!(after, before.replace("15 #", "30 #") + "\n[slots]\nkeep = \"12 h\"\n");
        assert_eq!(
            put("settings.toml", "", "news.desktop", "false").map(|text| parse("", &text).0.news.desktop),
            Ok(false)
        );
        for (before, key, value, says) in [
            (before, "limits.batery", "30", "did you mean limits.battery?"),
            (before, "limits.battery", "300", "from 0 to 100"),
            (before, "news.stops", "perhaps", "true or false"),
            ("version = 1\nnews = 3\n", "news.stops", "true", "nothing is changed"),
        ] {
            let why = put("settings.toml", before, key, value).expect_err(value);
            assert!(why.contains(says), "{why}");
        }
    }

    proptest! {
        /// Whatever is listed can be written back, one by one, and is read unchanged.
        #[test]
        fn listed_settings_equal_parsed_settings(days in prop::option::of(1u64..40_000), battery in 0u32..=1000, delay in 1u64..10_000, flags in prop::array::uniform8(any::<bool>())) {
            let mut own = Preferences { kept: days.map(|minutes| Micros::seconds(minutes * 60)), ..Preferences::default() };
            own.sit_down = flags[2].then_some([PadTarget::Start, PadTarget::RightTrigger]);
            own.limits.battery = battery as f32 / 1000.0;
            own.limits.delay = Micros::millis(delay);
            (own.limits.late, own.limits.lost) = (Micros(delay * 100), battery as f32 / 1000.0);
            (own.news.desktop, own.news.lamp, own.news.rumble) = (flags[0], flags[1], flags[2]);
            NewsKind::ALL.into_iter().zip(&flags[1..]).for_each(|(kind, told)| own.news.set(kind, *told));
            (own.trusts_focus, own.covers_served) = (flags[6], flags[7]);
            let mut text = String::new();
            for (key, value) in all(&own) {
                text = put("settings.toml", &text, &key, &value).expect("it can be set");
            }
            let (read, faults) = parse("settings.toml", &text);
            prop_assert_eq!(faults, []);
            prop_assert!((read.limits.battery - own.limits.battery).abs() < 1e-4 && (read.limits.lost - own.limits.lost).abs() < 1e-4);
            prop_assert_eq!(Preferences { limits: own.limits, ..read }, own);
        }

        /// No text makes the reader fail, and a file with a fault is never changed.
        #[test]
        fn any_text_parses_without_panic(text in "\\PC{0,80}|(version = 1\n)?(\\[[a-z]{1,6}\\]\n|[a-z-]{1,8} = \\PC{0,8}\n){0,6}") {
            let (_, faults) = parse("settings.toml", &text);
            if let Ok(after) = put("settings.toml", &text, "limits.delay", "20") {
                prop_assert!(text.trim().is_empty() || faults.is_empty());
                prop_assert_eq!(parse("settings.toml", &after).0.limits.delay, Micros::millis(20));
            }
        }
    }
}
