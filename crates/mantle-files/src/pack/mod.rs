//! Packs: sheets, profiles, pads and cards in one text file to share; or a whole table. Documented in docs/packs.md.
//!
//! Packs come from strangers. Nothing in one can name a place outside the directory it is extracted into, no existing
//! file is overwritten, and what it would do to a device is said first.

mod card;
pub mod table;

use crate::fault::FileFault;
use crate::own_pad;
use crate::profile;
use crate::sheet;
use crate::{games, settings, slots};
use mantle_core::outgoing::Act;
use rustix::fs::{AtFlags, CWD, Mode, OFlags, mkdirat, openat, unlinkat};
use rustix::io::Errno;
use serde::{Deserialize, Serialize};
use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use toml::Spanned;

/// The version of the file format.
pub const VERSION: i64 = 1;
/// The ending of a pack's file name.
pub const ENDING: &str = "pack.toml";
/// The most files in a pack.
pub const FILES: usize = 128;
/// The largest file in a pack.
pub const FILE_BYTES: usize = 1 << 20;
/// The largest pack.
pub const PACK_BYTES: usize = 4 << 20;

/// What a packed file is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Kind {
    /// How a device is read.
    Sheet,
    /// Bindings and feel.
    Profile,
    /// A pad file.
    Pad,
    /// A picture for the wall.
    Card,
    /// Who sits where; a pack that has it is a whole table.
    Slots,
    /// The general settings.
    Settings,
    /// Rules for games.
    Rules,
}

impl Kind {
    /// Kinds with any number of files, and the endings of their names.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Sheet, ".sheet.toml"),
        (Self::Profile, ".profile.toml"),
        (Self::Pad, own_pad::ENDING),
        (Self::Card, ".card.svg"),
    ];
    /// Kinds with a single file, and its name.
    pub const ONCE: [(Self, &'static str); 3] =
        [(Self::Slots, slots::FILE), (Self::Settings, settings::FILE), (Self::Rules, games::FILE)];

    /// The kind that a name means.
    #[must_use]
    pub fn of(name: &str) -> Option<Self> {
        let found = Self::ALL.iter().find(|(_, ending)| name.strip_suffix(ending).is_some_and(|stem| !stem.is_empty()));
        let once = || Self::ONCE.iter().find(|(_, own)| name == *own);
        found.or_else(once).map(|(kind, _)| *kind)
    }

    /// The directory for such files, below the person's own.
    #[must_use]
    pub fn directory(self) -> &'static str {
        match self {
            Self::Sheet => "sheets",
            Self::Profile => "profiles",
            Self::Pad => "pads",
            Self::Card => "cards",
            Self::Slots | Self::Settings | Self::Rules => ".",
        }
    }

    /// The kind in a word.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Sheet => "sheet",
            Self::Profile => "profile",
            Self::Pad => "pad file",
            Self::Card => "card",
            Self::Slots => "slots",
            Self::Settings => "settings",
            Self::Rules => "rules",
        }
    }
}

/// One packed file.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Packed {
    /// Its name, without any directory.
    pub name: String,
    /// What it is.
    pub kind: Kind,
    /// Its contents.
    pub text: String,
}

/// An opened pack.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Pack {
    /// Its maker's note.
    pub about: String,
    /// Whether it answers a case: it replaces files of whoever made that.
    pub answer: bool,
    /// Its files, in order.
    pub files: Vec<Packed>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Raw {
    version: Spanned<i64>,
    about: Option<Spanned<String>>,
    #[serde(default)]
    answer: bool,
    #[serde(default)]
    file: Vec<RawFile>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawFile {
    name: Spanned<String>,
    text: Spanned<String>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde passes it so")]
fn is_false(flag: &bool) -> bool {
    !flag
}

#[derive(Serialize)]
struct Written<'a> {
    version: i64,
    about: &'a str,
    #[serde(skip_serializing_if = "is_false")]
    answer: bool,
    file: Vec<WrittenFile<'a>>,
}

#[derive(Serialize)]
struct WrittenFile<'a> {
    name: &'a str,
    text: &'a str,
}

/// Where a file belongs, below the directory of a person's own files.
fn place_of(kind: Kind, name: &str) -> PathBuf {
    match kind.directory() {
        "." => name.into(),
        within => Path::new(within).join(name),
    }
}

impl Packed {
    /// Where it belongs, below the directory of a person's own files.
    fn place(&self) -> PathBuf {
        place_of(self.kind, &self.name)
    }

    /// A file for a pack.
    ///
    /// # Errors
    /// In words, why it cannot be packed.
    pub fn new(name: &str, text: &str) -> Result<Self, String> {
        let plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || matches!(c, '-' | '_' | '.');
        let kind = Kind::of(name);
        let (Some(kind), true) = (kind, name.len() <= 100 && !name.starts_with('.') && name.chars().all(plain)) else {
            let endings = Kind::ALL.map(|(_, ending)| ending).join(", ");
            return Err(format!(
                "{name:?} is not a valid name for a packed file: use lower-case letters, digits, - _ . and one of the endings {endings}"
            ));
        };
        if text.len() > FILE_BYTES {
            return Err(format!("{name}: {} bytes; at most {FILE_BYTES} can be packed", text.len()));
        }
        match kind {
            Kind::Sheet => {
                let read = sheet::read(name, text);
                if read.sheet.is_none() {
                    let first = read.faults.first().map_or_else(|| "nothing in it".into(), FileFault::to_string);
                    return Err(format!("nothing of this sheet can be used: {first}"));
                }
            }
            Kind::Pad => {
                let read = own_pad::read(name, text);
                if let Some(first) = read.faults.first() {
                    return Err(format!("nothing of this pad file can be used: {first}"));
                }
            }
            Kind::Profile => {
                let read = profile::read(name, text);
                if read.profile.is_none() {
                    let first = read.faults.first().map_or_else(|| "nothing in it".into(), FileFault::to_string);
                    return Err(format!("nothing of this profile can be used: {first}"));
                }
            }
            Kind::Card => card::check(text).map_err(|why| format!("{name}: {why}"))?,
            Kind::Slots => drop(slots::parse(name, text).map_err(|fault| fault.to_string())?),
            // Faults in these are reported, and the rest is used.
            Kind::Settings | Kind::Rules => {}
        }
        Ok(Self { name: name.into(), kind, text: text.into() })
    }

    /// What it would make the program do to a device, or for the person, one line each.
    #[must_use]
    pub fn does(&self) -> Vec<String> {
        if self.kind == Kind::Profile {
            let strokes = profile::read(&self.name, &self.text).profile.map(|profile| profile.strokes());
            let typed: Vec<&str> = strokes.iter().flatten().filter(|one| one.types()).map(|one| one.name()).collect();
            let line = format!("{}: once you allow it in the Bindings view, types {}", self.name, typed.join(", "));
            return if typed.is_empty() { Vec::new() } else { vec![line] };
        }
        if self.kind == Kind::Pad {
            let pad = own_pad::read(&self.name, &self.text).pad;
            let line = |pad: &mantle_core::pad::OwnPad| {
                let id = pad.identity;
                format!(
                    "{}: once you choose it, appears as \"{}\" {:04x}:{:04x}",
                    self.name, pad.title, id.vendor, id.product
                )
            };
            return pad.iter().map(line).collect();
        }
        if self.kind == Kind::Slots {
            let memory = slots::parse(&self.name, &self.text).unwrap_or_default();
            let line = |slot: &mantle_core::slot::RememberedSlot| {
                let place = |key: &mantle_core::device::Key| match &key.port {
                    Some(port) => format!("{} at {port}", key.name),
                    None => key.name.clone(),
                };
                let who: Vec<String> = slot.members.iter().map(place).collect();
                let who = if who.is_empty() { "nobody".into() } else { who.join(" and ") };
                format!("{}: {who}, {}, profile {}", slot.number, slot.kind.name(), slot.profile)
            };
            return memory.slots.iter().map(line).collect();
        }
        let Some(sheet) = (self.kind == Kind::Sheet).then(|| sheet::read(&self.name, &self.text).sheet).flatten()
        else {
            return Vec::new();
        };
        let mut lines = Vec::new();
        let mut say = |when: &str, act: &Act| lines.push(format!("{}: {when} {}", self.name, act.whole()));
        for step in sheet.start_up.iter() {
            say("when connected, sends", &step.act);
        }
        for keep in &sheet.keep_alive {
            say(&format!("every {} ms sends", keep.every.0 / 1000), &keep.act);
        }
        if let Some(rumble) = &sheet.rumble {
            say("to rumble, sends", &rumble.encode(&[1.0, 1.0], &sheet.checks));
        }
        if let Some(light) = &sheet.light {
            say("for its light, sends", &light.encode(&[1.0; 3], &sheet.checks));
        }
        if let Some(lamps) = &sheet.lamps {
            say("for its lamps, sends", &lamps.encode(1, &sheet.checks));
        }
        lines
    }

    /// Faults that leave the rest usable.
    #[must_use]
    pub fn faults(&self) -> Vec<FileFault> {
        match self.kind {
            Kind::Sheet => sheet::read(&self.name, &self.text).faults,
            Kind::Profile => profile::read(&self.name, &self.text).faults,
            Kind::Pad => own_pad::read(&self.name, &self.text).faults,
            Kind::Card | Kind::Slots => Vec::new(),
            Kind::Settings => settings::parse(&self.name, &self.text).1,
            Kind::Rules => games::parse(&self.name, &self.text).1,
        }
    }
}

impl Pack {
    /// Adds a file.
    ///
    /// # Errors
    /// In words: it is there already, or there are too many.
    pub fn add(&mut self, file: Packed) -> Result<(), String> {
        if self.files.iter().any(|other| other.name == file.name) {
            return Err(format!("{} would be in it twice", file.name));
        }
        if self.files.len() == FILES {
            return Err(format!("more than {FILES} files"));
        }
        self.files.push(file);
        Ok(())
    }

    /// Reads a pack, completely or not at all.
    ///
    /// # Errors
    /// The first fault, and where.
    pub fn parse(path: &str, text: &str) -> Result<Self, FileFault> {
        if text.len() > PACK_BYTES {
            return Err(FileFault::whole(path, format!("{} bytes; a pack has at most {PACK_BYTES}", text.len())));
        }
        let raw: Raw = toml::from_str(text).map_err(|error| FileFault::from_toml(path, text, &error))?;
        let at = |span: std::ops::Range<usize>, why: String| FileFault::at(path, text, span.start, why);
        if *raw.version.get_ref() != VERSION {
            let why = format!("version {} is unknown; this program reads {VERSION}", raw.version.get_ref());
            return Err(at(raw.version.span(), why));
        }
        let mut pack = Self { answer: raw.answer, ..Self::default() };
        if let Some(about) = raw.about {
            if about.get_ref().chars().any(|c| c.is_control() && c != '\n') {
                return Err(at(about.span(), "about: control characters are not allowed".into()));
            }
            pack.about = about.into_inner();
        }
        for file in raw.file {
            let packed = Packed::new(file.name.get_ref(), file.text.get_ref());
            packed.and_then(|packed| pack.add(packed)).map_err(|why| at(file.name.span(), why))?;
        }
        if pack.files.is_empty() {
            return Err(FileFault::whole(path, "it is empty: [[file]] with name and text is missing"));
        }
        Ok(pack)
    }

    /// As text.
    #[must_use]
    pub fn to_text(&self) -> String {
        let file = self.files.iter().map(|file| WrittenFile { name: &file.name, text: &file.text }).collect();
        let written = Written { version: VERSION, about: &self.about, answer: self.answer, file };
        let body = toml::to_string_pretty(&written).unwrap_or_default();
        format!("# Packed by placid-mantle: `placid-mantle unpack FILE` says what is in it.\n{body}")
    }

    /// Writes all files below a directory, each into the one for its kind: all or none, never over an existing file, and never
    /// through a link inside, which could lead anywhere.
    ///
    /// # Errors
    /// The first file that exists already or cannot be written; whatever had been written is removed again.
    pub fn unpack(&self, directory: &Path) -> io::Result<Vec<PathBuf>> {
        let said = |path: &Path, error: io::Error| io::Error::new(error.kind(), format!("{}: {error}", path.display()));
        fs::create_dir_all(directory).map_err(|error| said(directory, error))?;
        let flags = OFlags::DIRECTORY | OFlags::CLOEXEC;
        let root = openat(CWD, directory, flags, Mode::empty()).map_err(|error| said(directory, error.into()))?;
        let mut done = Vec::new();
        let written = self.files.iter().try_for_each(|file| {
            let (kind, name) = (file.kind.directory(), file.name.as_str());
            let within = directory.join(kind);
            match mkdirat(&root, kind, Mode::from_raw_mode(0o777)) {
                Ok(()) | Err(Errno::EXIST) => {}
                Err(error) => return Err(said(&within, error.into())),
            }
            let within_it = openat(&root, kind, flags | OFlags::NOFOLLOW, Mode::empty())
                .map_err(|error| said(&within, if is_link(error) { io::Error::other(LINK) } else { error.into() }))?;
            let path = directory.join(file.place());
            let create = OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL | OFlags::NOFOLLOW | OFlags::CLOEXEC;
            let out = openat(&within_it, name, create, Mode::from_raw_mode(0o666));
            let mut out = fs::File::from(out.map_err(|error| said(&path, error.into()))?);
            done.push((within_it, name, path.clone()));
            out.write_all(file.text.as_bytes()).and_then(|()| out.sync_all()).map_err(|error| said(&path, error))
        });
        if let Err(error) = written {
            for (within, name, _) in done {
                let _ = unlinkat(within, name, AtFlags::empty());
            }
            return Err(error);
        }
        Ok(done.into_iter().map(|(.., path)| path).collect())
    }
}

/// Why a directory that is a link is not written into.
const LINK: &str = "it is a link, and links are not followed";

/// Whether this error means a link where a directory is needed.
fn is_link(error: Errno) -> bool {
    matches!(error, Errno::LOOP | Errno::NOTDIR)
}

#[cfg(test)]
mod tests;
