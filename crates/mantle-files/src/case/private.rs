//! What a case does not carry unless its owner asks for it.

use super::Case;
use crate::{games, slots};
use mantle_core::case::CaseEvent;
use mantle_core::device::Key;
use mantle_core::front::Front;
use mantle_core::slot::Remembered;
use std::collections::BTreeMap;
use toml::Value;
use toml_edit::{DocumentMut, Item, Table};

/// The name of this program.
const OWN_NAME: &str = "placid-mantle";

/// Shorter words are replaced only where they stand alone.
const TELLING: usize = 6;
/// Shorter words than this are not looked for in texts: they would be found in too many.
const LEAST: usize = 4;
/// Characters of an address: six bytes in hex, and the signs between them.
const ADDRESS: usize = 17;

/// What the owner asks for in spite of everything.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Private {
    /// Serial numbers and addresses go along.
    pub serials: bool,
    /// Names that people gave, of programs, accounts and computers go along.
    pub names: bool,
    /// Feature reports that were read go along.
    pub features: bool,
}

/// Whose table it is.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Whose {
    /// The account's name.
    pub account: String,
    /// The computer's name.
    pub computer: String,
    /// The home directory.
    pub home: String,
    /// Nicknames, and the systems' names that they stand for.
    pub nicknames: Vec<(String, String)>,
}

/// Words, and what stands for them.
#[derive(Debug, Default)]
struct Instead(BTreeMap<String, String>);

impl Instead {
    fn add(&mut self, word: &str, instead: impl FnOnce(usize) -> String) -> String {
        let next = self.0.len() + 1;
        self.0.entry(word.to_owned()).or_insert_with(|| instead(next)).clone()
    }

    fn put_into(&self, text: &str) -> String {
        let mut words: Vec<_> = self.0.iter().collect();
        // Of two words of which one begins like the other, the longer one is meant.
        words.sort_by_key(|(word, _)| std::cmp::Reverse(word.len()));
        let mut text = text.to_owned();
        for (word, instead) in words {
            text = replaced(&text, word, instead);
        }
        text
    }
}

/// A text with a word replaced; a short word only where it stands alone.
fn replaced(text: &str, word: &str, instead: &str) -> String {
    let telling = word.len() >= TELLING;
    let of_word = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    // People write their names large.
    let (small, word) = (text.to_ascii_lowercase(), word.to_ascii_lowercase());
    let mut out = String::with_capacity(text.len());
    let mut from = 0;
    while let Some(at) = small[from..].find(&word).map(|at| from + at) {
        let end = at + word.len();
        let alone = telling || !(of_word(text[..at].chars().next_back()) || of_word(text[end..].chars().next()));
        out.push_str(&text[from..at]);
        out.push_str(if alone { instead } else { &text[at..end] });
        from = end;
    }
    out + &text[from..]
}

/// The addresses in a text: six bytes in hex with `:`, `-` or `_` between them.
fn addresses(text: &str) -> Vec<String> {
    let bytes = text.as_bytes();
    let is_address = |own: &[u8]| {
        let sign = own[2];
        matches!(sign, b':' | b'-' | b'_')
            && own
                .iter()
                .enumerate()
                .all(|(at, byte)| if at % 3 == 2 { *byte == sign } else { byte.is_ascii_hexdigit() })
    };
    let mut found = Vec::new();
    let mut at = 0;
    while at + ADDRESS <= bytes.len() {
        let own = &bytes[at..at + ADDRESS];
        let hex = |at: Option<&u8>| at.is_some_and(u8::is_ascii_hexdigit);
        if is_address(own) && !hex(at.checked_sub(1).and_then(|at| bytes.get(at))) && !hex(bytes.get(at + ADDRESS)) {
            found.push(String::from_utf8_lossy(own).into_owned());
            at += ADDRESS;
        } else {
            at += 1;
        }
    }
    found
}

/// An address of the range that is kept for documents; of one address, however it is written, always the same.
fn address(known: &mut Vec<String>, word: &str) -> String {
    let plain: String = word.chars().filter(char::is_ascii_hexdigit).map(|c| c.to_ascii_lowercase()).collect();
    let number = known.iter().position(|own| *own == plain).unwrap_or_else(|| {
        known.push(plain);
        known.len() - 1
    });
    let sign = word.chars().nth(2).unwrap_or(':');
    let bytes = [0x00, 0x00, 0x5e, (number >> 8) as u8, 0x53, number as u8];
    bytes.map(|byte| format!("{byte:02x}")).join(&sign.to_string())
}

/// Calls a function with every text in a value.
fn each_text(value: &mut Value, act: &mut impl FnMut(&mut String)) {
    match value {
        Value::String(text) => act(text),
        Value::Array(all) => all.iter_mut().for_each(|one| each_text(one, act)),
        Value::Table(all) => all.iter_mut().for_each(|(_, one)| each_text(one, act)),
        _ => {}
    }
}

impl Private {
    /// Takes out of a case what was not asked for, and notes that in it.
    ///
    /// # Errors
    /// In words, if the case cannot be gone through.
    pub fn apply(self, case: &mut Case, whose: &Whose) -> Result<(), String> {
        let mut left_out = Vec::new();
        // Words that are replaced everywhere, and those that are replaced only in sentences: in a file they may mean something else.
        let (mut instead, mut in_prose) = (Instead::default(), Instead::default());
        if !self.features {
            let got = case.event.iter_mut().filter_map(|timed| match &mut timed.event {
                CaseEvent::Sent { got, not_needed, .. } => got.take().inspect(|_| *not_needed = true),
                _ => None,
            });
            left_out.extend(count(got.count(), "feature report", ""));
        }
        if !self.names {
            self.take_names(case, whose, &mut instead, &mut in_prose, &mut left_out);
        }
        self.take_keys(case, whose, &mut instead, &mut left_out);
        let mut known = Vec::new();
        let mut put = |text: &str| {
            let addresses = if self.serials { Vec::new() } else { addresses(text) };
            for word in addresses {
                let own = address(&mut known, &word);
                instead.0.insert(word, own);
            }
            instead.put_into(text)
        };
        for file in &mut case.file {
            file.text = in_strings(&file.text, &mut put);
        }
        for text in [&mut case.said, &mut case.readiness, &mut case.notices].into_iter().flatten() {
            *text = in_prose.put_into(text);
        }
        for line in &mut case.journal {
            line.text = in_prose.put_into(&line.text);
        }
        // Whatever is left of it stands in some other text.
        let (files, reports) = (std::mem::take(&mut case.file), std::mem::take(&mut case.reports));
        let mut value = Value::try_from(&*case).map_err(|error| error.to_string())?;
        each_text(&mut value, &mut |text| *text = put(text));
        *case = value.try_into().map_err(|error| error.to_string())?;
        (case.file, case.reports) = (files, reports);
        for file in &mut case.file {
            file.path = put(&file.path);
        }
        left_out.extend(count(known.len(), "address", ""));
        case.left_out.extend(left_out);
        Ok(())
    }

    /// Names of programs and people.
    fn take_names(
        self,
        case: &mut Case,
        whose: &Whose,
        instead: &mut Instead,
        in_prose: &mut Instead,
        left_out: &mut Vec<String>,
    ) {
        let mut programs = BTreeMap::<String, String>::new();
        let mut program = |name: &str| {
            // Everybody who gets a case knows this one, and sentences name it.
            if name == OWN_NAME {
                return name.to_owned();
            }
            let next = programs.len() + 1;
            programs.entry(name.to_owned()).or_insert_with(|| format!("program {next}")).clone()
        };
        let rules = case.file.iter().find(|file| file.name == games::FILE).map(|file| file.text.clone());
        let (rules, _) = games::parse(games::FILE, rules.as_deref().unwrap_or_default());
        for timed in &mut case.event {
            match &mut timed.event {
                CaseEvent::Looked { look } => {
                    look.programs.iter_mut().for_each(|own| own.name = program(&own.name));
                }
                CaseEvent::Ready { facts } => {
                    facts.translators.iter_mut().for_each(|(own, _)| *own = program(own));
                    if let Some((_, account)) = &mut facts.engine {
                        *account = "another account".into();
                    }
                }
                CaseEvent::Front { front: Front::OtherEngine { account, .. } } => *account = "another account".into(),
                CaseEvent::Running { programs } => {
                    for own in programs {
                        // A rule that was for it still is.
                        let rule = rules.iter().position(|rule| rule.is_for(own));
                        let name = rule.map_or_else(|| program(own.name()), |rule| format!("game-{}", rule + 1));
                        for known in own.names.iter().filter(|known| known.chars().count() >= LEAST) {
                            in_prose.add(known, |_| name.clone());
                        }
                        (own.names, own.path, own.arguments) = (vec![name.clone()], name.clone(), vec![name]);
                    }
                }
                _ => {}
            }
        }
        if let Some(file) = case.file.iter_mut().find(|file| file.name == games::FILE) {
            file.text = games::renamed(&file.text).unwrap_or_default();
        }
        left_out.extend(count(programs.len(), "name", " of programs"));
        in_prose.0.extend(programs);
        in_prose.0.retain(|word, _| word.chars().count() >= LEAST);
        for (called, name) in &whose.nicknames {
            in_prose.add(called, |_| name.clone());
        }
        left_out.extend(count(whose.nicknames.len(), "nickname", ""));
        for (word, own) in [(&whose.home, "~"), (&whose.account, "account"), (&whose.computer, "computer")] {
            // Root is nobody's name.
            if word.len() > 1 && word != "root" && word != "/root" {
                instead.add(word, |_| own.to_owned());
            }
        }
        if case.title == whose.computer {
            case.title = "computer".into();
        }
    }

    /// Serial numbers and nicknames where they are kept: of the nodes, and in the slots file.
    fn take_keys(self, case: &mut Case, whose: &Whose, instead: &mut Instead, left_out: &mut Vec<String>) {
        let mut serials = BTreeMap::<String, String>::new();
        let mut serial = |own: &str| {
            // Addresses are replaced with those in all other texts, so that one address stays one.
            let is_address = own.len() == ADDRESS && !addresses(own).is_empty();
            if own.is_empty() || self.serials || is_address {
                return own.to_owned();
            }
            let next = serials.len() + 1;
            serials.entry(own.to_owned()).or_insert_with(|| format!("serial-{next}")).clone()
        };
        for timed in &mut case.event {
            if let CaseEvent::Arrived { facts } = &mut timed.event {
                facts.serial = serial(&facts.serial);
            }
        }
        let mut fault = false;
        if let Some(file) = case.file.iter_mut().find(|file| file.name == slots::FILE) {
            match slots::parse(slots::FILE, &file.text) {
                Ok(memory) => {
                    let called: Vec<String> = memory.nicknames.iter().map(|(_, called)| called.clone()).collect();
                    let name = |name: String| {
                        let known = whose.nicknames.iter().find(|(called, _)| *called == name);
                        match known {
                            _ if self.names => name,
                            Some((_, own)) => own.clone(),
                            None if called.contains(&name) => "a device".into(),
                            None => name,
                        }
                    };
                    let mut key = |key: Key| Key { uniq: serial(&key.uniq), name: name(key.name), ..key };
                    let memory = with_keys(memory, self.names, &mut key);
                    // Comments may say anything.
                    file.text = slots::render(slots::FILE, "", &memory).unwrap_or_default();
                }
                Err(_) => fault = true,
            }
        }
        if fault {
            case.file.retain(|file| file.name != slots::FILE);
            left_out.push("the slots file, which cannot be read".into());
        }
        left_out.extend(count(serials.len(), "serial number", ""));
        instead.0.extend(serials.into_iter().filter(|(word, _)| word.chars().count() >= LEAST));
    }
}

fn count(number: usize, what: &str, of: &str) -> Option<String> {
    let many = match number {
        1 => "",
        _ if what.ends_with('s') => "es",
        _ => "s",
    };
    (number > 0).then(|| format!("{number} {what}{many}{of}"))
}

/// A text file with every string and comment in it changed, but for its keys; as it stands if it is no TOML.
fn in_strings(text: &str, act: &mut impl FnMut(&str) -> String) -> String {
    let Ok(mut document) = text.parse::<DocumentMut>() else { return act(text) };
    each_item(document.as_item_mut(), act);
    let comment = |line: &str| if line.trim_start().starts_with('#') { act(line) } else { line.to_owned() };
    document.to_string().split_inclusive('\n').map(comment).collect()
}

fn each_item(item: &mut Item, act: &mut impl FnMut(&str) -> String) {
    match item {
        Item::Value(value) => each_value(value, act),
        Item::Table(table) => table.iter_mut().for_each(|(_, item)| each_item(item, act)),
        Item::ArrayOfTables(tables) => {
            tables.iter_mut().flat_map(Table::iter_mut).for_each(|(_, item)| each_item(item, act));
        }
        Item::None => {}
    }
}

fn each_value(value: &mut toml_edit::Value, act: &mut impl FnMut(&str) -> String) {
    match value {
        toml_edit::Value::String(text) => {
            let now = act(text.value());
            if now != *text.value() {
                *value = now.into();
            }
        }
        toml_edit::Value::Array(all) => all.iter_mut().for_each(|one| each_value(one, act)),
        toml_edit::Value::InlineTable(all) => all.iter_mut().for_each(|(_, one)| each_value(one, act)),
        _ => {}
    }
}

/// What is remembered, with every key changed; nicknames only if they may go along.
fn with_keys(memory: Remembered, names: bool, key: &mut impl FnMut(Key) -> Key) -> Remembered {
    let mut keys = |all: Vec<Key>| all.into_iter().map(&mut *key).collect::<Vec<_>>();
    let slots = memory.slots.into_iter().map(|mut slot| {
        slot.members = keys(slot.members);
        slot
    });
    let slots = slots.collect();
    let same = memory.same.into_iter().map(&mut keys).collect();
    let taken_out = keys(memory.taken_out);
    let shared_serials = keys(memory.shared_serials);
    let left_to_game = keys(memory.left_to_game);
    let pointers = keys(memory.pointers);
    let triggers_turned = keys(memory.triggers_turned);
    let calibrated = memory.calibrated.into_iter().map(|(own, axes)| (key(own), axes)).collect();
    let nicknames = memory.nicknames.into_iter().filter(|_| names).map(|(own, called)| (key(own), called)).collect();
    Remembered {
        slots,
        taken_out,
        shared_serials,
        left_to_game,
        pointers,
        calibrated,
        triggers_turned,
        nicknames,
        same,
        ..memory
    }
}
