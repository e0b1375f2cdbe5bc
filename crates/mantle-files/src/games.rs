//! The file of rules for games: what applies while a program runs. Documented in docs/playing.md.
//!
//! A rule with a fault does not count, since half of it would mean something else. The person's other text stays.

use crate::fault::FileFault;
use crate::in_place::set;
use crate::pad_kind::{self, KindName, Said};
use crate::pointed::{self, At, Reader};
use mantle_core::command::RuleAct;
use mantle_core::games::{GameRule, GameSign, SlotRule};
use mantle_core::pad::PadKind;
use mantle_core::slot::{MOST_RUMBLE, SLOTS, SlotNumber};
use serde::Deserialize;
use serde::de::value::{Error, StrDeserializer};
use std::path::Path;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, Value};

/// The file's name, in our configuration directory.
pub const FILE: &str = "games.toml";
/// The most rules.
const RULES: usize = 200;
/// The longest program sign, and the longest note, in characters.
const SIGN: usize = 400;
const NOTE: usize = 2_000;

const TOP: &[&str] = &["version", "game"];
const GAME: &[&str] = &["program", "path", "argument", "stay-out", "note", "slot"];
const SLOT: &[&str] = &["slot", "profile", "kind", "made_by", "pad", "axes", "buttons", "hats", "cover", "rumble"];
type MakeSign = fn(String) -> GameSign;
/// How a program is recognised, as written in the file.
const SIGNS: [(&str, MakeSign); 3] =
    [("program", GameSign::Program), ("path", GameSign::Path), ("argument", GameSign::Argument)];

/// Reads the file: its valid rules, in order, and its faults.
#[must_use]
pub fn parse(path: &str, text: &str) -> (Vec<GameRule>, Vec<FileFault>) {
    let (rules, faults) = pointed::read(path, text, TOP, |reader, at| {
        let games = reader.tables(at, "game");
        if games.len() > RULES {
            reader.fault(games[RULES].span.clone(), format!("{} rules; the first {RULES} are read", games.len()));
        }
        Some(games.iter().take(RULES).filter_map(|game| reader.game(game)).collect::<Vec<_>>())
    });
    (rules.unwrap_or_default(), faults)
}

/// Reads the rules of a file; none if it does not exist.
#[must_use]
pub fn open(path: &Path) -> (Vec<GameRule>, Vec<FileFault>) {
    let shown = path.display().to_string();
    match crate::bounded::read_if_there(path, crate::bounded::SETTINGS_BYTES) {
        Ok(text) => text.map(|text| parse(&shown, &text)).unwrap_or_default(),
        Err(error) => (Vec::new(), vec![FileFault::whole(&shown, error.to_string())]),
    }
}

impl Reader<'_> {
    fn game(&mut self, at: &At<'_>) -> Option<GameRule> {
        let before = self.faults.len();
        self.known(at, GAME);
        let mut rule = GameRule::default();
        for (key, sign) in SIGNS {
            if let Some(text) = self.short(at, key, SIGN) {
                rule.signs.push(sign(text.to_owned()));
            }
        }
        if rule.signs.is_empty() && self.faults.len() == before {
            let what = "`program` (the file's name), `path` or `argument` has to say which program it is for; in each, * matches anything";
            let () = self.missing(at, "program", what)?;
        }
        rule.stays_out = self.flag(at, "stay-out").unwrap_or(false);
        rule.note = self.short(at, "note", NOTE).unwrap_or_default().to_owned();
        for slot in self.tables(at, "slot") {
            let Some(own) = self.slot_rule(&slot) else { continue };
            if rule.of_slot(own.slot).is_some() {
                self.fault(
                    slot.span.clone(),
                    format!("{}slot = {}: this slot has a table already", slot.name, own.slot.number()),
                );
            }
            rule.slots.push(own);
        }
        if rule.stays_out && !rule.slots.is_empty() {
            self.fault(at.span.clone(), format!("{}stay-out = true: its slots would never apply", at.name));
        }
        (self.faults.len() == before).then_some(rule)
    }

    fn short<'t>(&mut self, at: &At<'t>, key: &str, most: usize) -> Option<&'t str> {
        let text = self.text(at, key)?;
        match text.chars().count() {
            0 => self.refuse(at, key, at.table.get(key)?, "it is empty"),
            long if long <= most => Some(text),
            _ => self.refuse(at, key, at.table.get(key)?, &format!("{most} characters are the most")),
        }
    }

    fn slot_rule(&mut self, at: &At<'_>) -> Option<SlotRule> {
        self.known(at, SLOT);
        if at.table.get("slot").is_none() {
            return self.missing(at, "slot", &format!("`slot` has to say which slot it is for, 1 to {SLOTS}"));
        }
        let slot = self.number(at, "slot", 1..SLOTS as i64 + 1)?;
        let rumble = self.number(at, "rumble", 0..i64::from(MOST_RUMBLE) + 1);
        Some(SlotRule {
            slot: SlotNumber::new(slot as u8)?,
            profile: self.short(at, "profile", SIGN).map(str::to_owned),
            kind: self.kind(at),
            cover: self.flag(at, "cover"),
            rumble: rumble.map(|percent| percent as u8),
        })
    }

    fn kind(&mut self, at: &At<'_>) -> Option<PadKind> {
        let item = at.table.get("kind")?;
        let named = self.text(at, "kind")?;
        let Ok(name) = KindName::deserialize(StrDeserializer::<Error>::new(named)) else {
            let allowed = "allowed: common, flight stick, motion pad, keys, own pad";
            return self.refuse(at, "kind", item, allowed);
        };
        let axes: Option<Vec<String>> = match at.table.get("axes").map(|item| (item, item.as_array())) {
            None => None,
            Some((_, Some(array))) => Some(array.iter().filter_map(Value::as_str).map(str::to_owned).collect()),
            Some((item, None)) => return self.refuse(at, "axes", item, "a list of names is expected"),
        };
        let (made_by, pad) = (self.text(at, "made_by"), self.text(at, "pad"));
        let (buttons, hats) = (self.number(at, "buttons", 0..256), self.number(at, "hats", 0..256));
        let small = |number: Option<i64>| number.map(|number| number as u8);
        let said = Said { made_by, pad, axes: axes.as_deref(), buttons: small(buttons), hats: small(hats) };
        match name.kind(said) {
            Ok(kind) => Some(kind),
            Err(why) => {
                self.fault(item.span(), format!("{}{why}", at.name));
                None
            }
        }
    }
}

/// The text with every program called by the number of its rule, `game-1` and so on: for strangers. None if it cannot be read at all.
#[must_use]
pub fn renamed(text: &str) -> Option<String> {
    let name = |number: usize| format!("game-{}", number + 1);
    let (rules, faults) = parse(FILE, text);
    if faults.is_empty() {
        // Written anew, so that comments stay at home.
        return rules.into_iter().enumerate().try_fold(String::new(), |text, (number, mut rule)| {
            for sign in &mut rule.signs {
                if let GameSign::Program(own) | GameSign::Path(own) | GameSign::Argument(own) = sign {
                    *own = name(number);
                }
            }
            put(FILE, &text, &rule).ok().map(|(text, _)| text)
        });
    }
    let mut document: DocumentMut = text.parse().ok()?;
    let games = document.get_mut("game").and_then(Item::as_array_of_tables_mut);
    for (number, game) in games.into_iter().flat_map(ArrayOfTables::iter_mut).enumerate() {
        for (key, _) in SIGNS {
            if game.contains_key(key) {
                game.insert(key, toml_edit::value(name(number)));
            }
        }
    }
    Some(document.to_string())
}

/// The text of the file with a rule saved or deleted, that rule, and the one it replaced; `signs` finds how to recognise a process.
///
/// # Errors
/// In words: the process is gone, the file cannot be read as it is, or it has no such rule.
pub fn act(
    path: &str,
    before: &str,
    act: RuleAct,
    signs: impl FnOnce(u32) -> Option<Vec<GameSign>>,
) -> Result<(String, GameRule, Option<GameRule>), String> {
    let rule = match act {
        RuleAct::Add { pid, rule } => {
            let signs =
                signs(pid).ok_or_else(|| format!("process {pid} has ended, or this account may not inspect it"))?;
            GameRule { signs, ..rule }
        }
        RuleAct::Put(rule) => rule,
        RuleAct::Drop(signs) => {
            return without(path, before, &signs).map(|(after, old)| (after, old, None));
        }
    };
    let (after, old) = put(path, before, &rule)?;
    Ok((after, rule, old))
}

/// The text of the file with a rule in place of the one for the same program, or at its end; and the replaced rule. Everything
/// else in it is kept.
///
/// # Errors
/// In words: the file cannot be read as it is.
fn put(path: &str, before: &str, rule: &GameRule) -> Result<(String, Option<GameRule>), String> {
    change(path, before, &rule.signs, Some(rule))
}

/// The text of the file without a program's rule; and that rule.
///
/// # Errors
/// In words: the file cannot be read as it is, or has no such rule.
fn without(path: &str, before: &str, signs: &[GameSign]) -> Result<(String, GameRule), String> {
    let (after, old) = change(path, before, signs, None)?;
    old.map(|old| (after, old)).ok_or_else(|| "that rule no longer exists".to_owned())
}

fn change(
    path: &str,
    before: &str,
    signs: &[GameSign],
    rule: Option<&GameRule>,
) -> Result<(String, Option<GameRule>), String> {
    let start = if before.trim().is_empty() { "# See docs/playing.md.\nversion = 1\n" } else { before };
    let (rules, faults) = parse(path, start);
    if let Some(first) = faults.first() {
        return Err(format!("{}; nothing is changed", first.sentence().trim_end_matches('.')));
    }
    // Without faults, every table is a rule.
    let at = rules.iter().position(|own| own.signs == *signs);
    let mut document: DocumentMut = start.parse().map_err(|error| format!("{path}: {error}"))?;
    let games = document.entry("game").or_insert(Item::ArrayOfTables(ArrayOfTables::new()));
    let games = games.as_array_of_tables_mut().ok_or_else(|| format!("{path}: game is no list of tables"))?;
    match (at, rule) {
        (Some(at), None) => drop(games.remove(at)),
        (Some(at), Some(rule)) => {
            if let Some(table) = games.get_mut(at) {
                fill(table, rule);
            }
        }
        (None, Some(rule)) => {
            let mut table = Table::new();
            fill(&mut table, rule);
            games.push(table);
        }
        (None, None) => {}
    }
    let after = document.to_string();
    match parse(path, &after).1.first() {
        Some(fault) => Err(fault.message.clone()),
        None => Ok((after, at.and_then(|at| rules.into_iter().nth(at)))),
    }
}

/// Writes a rule into its table.
fn fill(table: &mut Table, rule: &GameRule) {
    for sign in &rule.signs {
        let (key, text) = match sign {
            GameSign::Program(text) => ("program", text),
            GameSign::Path(text) => ("path", text),
            GameSign::Argument(text) => ("argument", text),
            GameSign::Process(_) => continue,
        };
        set(table, key, text.as_str());
    }
    match rule.stays_out {
        true => set(table, "stay-out", true),
        false => drop(table.remove("stay-out")),
    }
    match rule.note.as_str() {
        "" => drop(table.remove("note")),
        note => set(table, "note", note),
    }
    let mut slots = ArrayOfTables::new();
    for own in &rule.slots {
        let mut slot = Table::new();
        set(&mut slot, "slot", i64::from(own.slot.number()));
        if let Some(profile) = &own.profile {
            set(&mut slot, "profile", profile.as_str());
        }
        if let Some(kind) = &own.kind {
            pad_kind::put(&mut slot, kind);
        }
        if let Some(cover) = own.cover {
            set(&mut slot, "cover", cover);
        }
        if let Some(rumble) = own.rumble {
            set(&mut slot, "rumble", i64::from(rumble));
        }
        slots.push(slot);
    }
    table.remove("slot");
    if !slots.is_empty() {
        table.insert("slot", Item::ArrayOfTables(slots));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::pad::{FlightShape, OwnPad};
    use proptest::prelude::*;
    use std::sync::Arc;

    const TEXT: &str = "# mine\nversion = 1\n\n[[game]] # the slow one\nprogram = \"crane\"\nnote = \"Choose the first entry.\"\n\n\
        [[game.slot]]\nslot = 1\nprofile = \"sliding\" # smooth\nkind = \"flight stick\"\naxes = [\"X\", \"Y\"]\nbuttons = 4\nhats = 1\ncover = false\nrumble = 40\n\n\
        [[game.slot]]\nslot = 2\nkind = \"common\"\nmade_by = \"uhid\"\n\n[[game]]\npath = \"*/parade/*\"\nargument = \"--windowed\"\nstay-out = true\n";

    #[test]
    fn every_key_is_accepted_and_mistakes_are_located() {
        let (rules, faults) = parse("games.toml", TEXT);
        assert_eq!(faults, []);
        let [crane, parade] = &rules[..] else { panic!("{rules:?}") };
        assert_eq!(crane.words(), "program crane");
        assert_eq!(crane.note, "Choose the first entry.");
        let [one, two] = &crane.slots[..] else { panic!("{crane:?}") };
        assert_eq!((one.profile.as_deref(), one.cover, one.rumble), (Some("sliding"), Some(false), Some(40)));
        assert!(matches!(&one.kind, Some(PadKind::Flight(shape)) if shape.buttons == 4 && shape.hats == 1));
        assert_eq!((two.kind.as_ref(), two.cover, two.rumble), (Some(&PadKind::Apart), None, None));
        assert!(parade.stays_out && parade.signs.len() == 2);
        for (rest, line, column, says) in [
            ("[[game]]\n", 2, 1, "which program it is for"),
            ("[[game]]\nprogram = \"\"\n", 3, 11, "it is empty"),
            ("[[game]]\nprogramm = \"a\"\n", 3, 1, "did you mean `program`?"),
            ("[[game]]\nprogram = \"a\"\n[[game.slot]]\nprofile = \"b\"\n", 4, 1, "which slot it is for"),
            ("[[game]]\nprogram = \"a\"\n[[game.slot]]\nslot = 9\n", 5, 8, "from 1 to 8"),
            ("[[game]]\nprogram = \"a\"\n[[game.slot]]\nslot = 1\nrumble = 201\n", 6, 10, "from 0 to 200"),
            ("[[game]]\nprogram = \"a\"\n[[game.slot]]\nslot = 1\nkind = \"boat\"\n", 6, 8, "flight stick"),
            ("[[game]]\nprogram = \"a\"\n[[game.slot]]\nslot = 1\nkind = \"own pad\"\n", 6, 8, "`pad` has to give"),
            ("[[game]]\nprogram = \"a\"\n[[game.slot]]\nslot = 1\n[[game.slot]]\nslot = 1\n", 6, 1, "already"),
            ("[[game]]\nprogram = \"a\"\nstay-out = true\n[[game.slot]]\nslot = 1\n", 2, 1, "never apply"),
            ("[game]\nprogram = \"a\"\n", 2, 1, "[[game]]"),
        ] {
            let (rules, faults) = parse("games.toml", &format!("version = 1\n{rest}"));
            let first = faults.first().unwrap_or_else(|| panic!("{rest} is said to be right"));
            assert_eq!((first.line, first.column), (line, column), "{first}");
            assert!(first.message.contains(says), "{first}");
            assert_eq!(rules, [], "{rest}");
        }
        // A valid rule counts beside an invalid one.
        let (rules, faults) = parse("games.toml", "version = 1\n[[game]]\nprogram = 3\n[[game]]\nprogram = \"a\"\n");
        assert_eq!((rules.len(), faults.len()), (1, 1));
    }

    #[test]
    fn a_rule_is_edited_in_place() {
        let (rules, _) = parse("games.toml", TEXT);
        let mut crane = rules[0].clone();
        crane.note.clear();
        let (after, old) = put("games.toml", TEXT, &crane).expect("it can be changed");
        assert_eq!(old.as_ref(), Some(&rules[0]));
        assert!(after.starts_with("# mine\nversion = 1\n\n[[game]] # the slow one\nprogram = \"crane\"\n"), "{after}");
        assert_eq!(parse("games.toml", &after), (vec![crane.clone(), rules[1].clone()], vec![]));
        let (after, gone) = without("games.toml", &after, &crane.signs).expect("it is there");
        assert_eq!(gone, crane);
        assert_eq!(parse("games.toml", &after).0, rules[1..]);
        assert!(without("games.toml", &after, &crane.signs).is_err_and(|why| why.contains("no longer exists")));
        let broken = "version = 1\n[[game]]\nprogram = 3\n";
        assert!(put("games.toml", broken, &crane).is_err_and(|why| why.contains("nothing is changed")));
    }

    fn kinds() -> impl Strategy<Value = Option<PadKind>> {
        let own = Arc::new(OwnPad::missing("harbour"));
        let all = [
            None,
            Some(PadKind::Common),
            Some(PadKind::Apart),
            Some(PadKind::Motion),
            Some(PadKind::Keys),
            Some(PadKind::Flight(FlightShape::new(0b101, 9, 2))),
            Some(PadKind::Own(own)),
        ];
        prop::sample::select(all.to_vec())
    }

    prop_compose! {
        fn a_rule()(program in "[a-z*?. \"\\\\]{1,12}", path in prop::option::of("[a-z/é\n]{1,9}"), note in "\\PC{0,20}",
            slots in prop::collection::btree_map(1u8..=8, (prop::option::of("[a-z ]{1,9}"), kinds(), any::<Option<bool>>(), prop::option::of(0u8..=200)), 0..4),
            stays_out: bool) -> GameRule {
            let signs = [Some(GameSign::Program(program)), path.map(GameSign::Path)].into_iter().flatten().collect();
            let own = |(number, (profile, kind, cover, rumble)): (u8, (Option<String>, _, _, _))| {
                Some(SlotRule { slot: SlotNumber::new(number)?, profile, kind, cover, rumble })
            };
            let slots: Vec<SlotRule> = slots.into_iter().filter_map(own).collect();
            GameRule { signs, stays_out: stays_out && slots.is_empty(), note, slots }
        }
    }

    proptest! {
        /// Written rules are read back unchanged, in any order of changes.
        #[test]
        fn written_rules_read_back_the_same(rules in prop::collection::vec(a_rule(), 1..6)) {
            let (mut text, mut expected) = (String::new(), Vec::<GameRule>::new());
            for rule in rules {
                let (after, old) = put("games.toml", &text, &rule).expect("it can be written");
                let at = expected.iter().position(|own| own.signs == rule.signs);
                prop_assert_eq!(old, at.map(|at| expected[at].clone()));
                match at {
                    Some(at) => expected[at] = rule,
                    None => expected.push(rule),
                }
                text = after;
                prop_assert_eq!(parse("games.toml", &text), (expected.clone(), vec![]), "{}", text);
            }
            let first = expected.remove(0);
            let (text, gone) = without("games.toml", &text, &first.signs).expect("it is there");
            prop_assert_eq!(gone, first);
            prop_assert_eq!(parse("games.toml", &text).0, expected);
        }

        /// No text makes the reader fail, and a file with a fault is never changed.
        #[test]
        fn any_text_parses_without_panic(text in "\\PC{0,80}|(version = 1\n)?(\\[\\[game(\\.slot)?\\]\\]\n|(program|slot|kind|rumble|cover) = (\"[a-z]{0,4}\"|[0-9]{1,3}|true)\n){0,8}") {
            let (_, faults) = parse("games.toml", &text);
            let rule = GameRule { signs: vec![GameSign::Program("crane".into())], ..GameRule::default() };
            if put("games.toml", &text, &rule).is_ok() {
                prop_assert!(text.trim().is_empty() || faults.is_empty());
            }
        }
    }
}
