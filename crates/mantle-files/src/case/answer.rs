//! What somebody changed of a case's files: a pack with exactly that, to be sent back.

use super::CaseText;
use crate::pack::table::portable;
use crate::pack::{Pack, Packed};
use crate::slots;
use mantle_core::slot::Remembered;

/// A pack of the files that are other ones now, or new; none if nothing has changed. Beside it, files that cannot be packed,
/// and why.
#[must_use]
pub fn answer(before: &[CaseText], now: &[CaseText], about: &str) -> (Option<Pack>, Vec<String>) {
    let mut pack = Pack { about: about.to_owned(), answer: true, files: Vec::new() };
    let mut refused = Vec::new();
    for file in now {
        let old = before.iter().find(|old| old.name == file.name).map(|old| old.text.as_str());
        if old == Some(file.text.as_str()) {
            continue;
        }
        let text = if file.name == slots::FILE {
            let (Some(old), Some(new)) = (who_sits_where(old.unwrap_or("version = 1\n")), who_sits_where(&file.text))
            else {
                continue;
            };
            if old == new {
                continue;
            }
            slots::render(slots::FILE, "", &new).unwrap_or_default()
        } else {
            file.text.clone()
        };
        if let Err(why) = Packed::new(&file.name, &text).and_then(|packed| pack.add(packed)) {
            refused.push(format!("{}: {why}", file.name));
        }
    }
    ((!pack.files.is_empty()).then_some(pack), refused)
}

/// Who sits where, by model and port: serial numbers of a case are not the owner's.
fn who_sits_where(text: &str) -> Option<Remembered> {
    slots::parse(slots::FILE, text).ok().map(|memory| portable(&memory))
}
