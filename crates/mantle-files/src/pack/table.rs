//! A whole table as a pack: for other machines that have the same devices at the same ports.
//!
//! Serial numbers, measurements and permissions belong to one machine and its devices, and stay there.

use super::{Kind, Pack, Packed, place_of};
use crate::atomic::save;
use crate::bounded::{PROFILE_BYTES, read_if_there};
use crate::pointed::listed;
use crate::{games, settings, slots};
use mantle_core::device::Key;
use mantle_core::slot::{Remembered, RememberedSlot};
use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};

/// What another machine can use of the slots file: devices by model and port.
#[must_use]
pub fn portable(own: &Remembered) -> Remembered {
    let key = |key: &Key| Key { uniq: String::new(), ..key.clone() };
    let keys = |all: &[Key]| all.iter().map(key).collect::<Vec<_>>();
    let slots =
        own.slots.iter().map(|slot| RememberedSlot { members: keys(&slot.members), away_since: None, ..slot.clone() });
    Remembered {
        slots: slots.collect(),
        taken_out: keys(&own.taken_out),
        left_to_game: keys(&own.left_to_game),
        triggers_turned: keys(&own.triggers_turned),
        nicknames: own.nicknames.iter().map(|(one, called)| (key(one), called.clone())).collect(),
        same: own.same.iter().map(|group| keys(group)).collect(),
        locked: own.locked,
        sit_by_two: own.sit_by_two,
        // Calibration belongs to one device; permissions and shared serial numbers belong to one machine.
        ..Remembered::default()
    }
}

/// What happens to a file.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Becomes {
    /// It is created.
    New,
    /// It is changed.
    Changed,
    /// It stays the same.
    Same,
}

/// One file of a table, and what happens to it on this machine.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Planned {
    /// Its path below the directory.
    pub place: PathBuf,
    /// What happens to it.
    pub becomes: Becomes,
    text: String,
}

fn refused(path: &Path, error: impl std::fmt::Display) -> String {
    format!("{}: {error}", path.display())
}

fn read(path: &Path) -> Result<Option<String>, String> {
    read_if_there(path, PROFILE_BYTES).map_err(|error| refused(path, error))
}

impl Pack {
    /// Packs the table in a person's directory.
    ///
    /// # Errors
    /// What cannot be read, or packed.
    pub fn of_table(directory: &Path, about: &str) -> Result<Self, String> {
        let mut pack = Self { about: about.to_owned(), ..Self::default() };
        let path = directory.join(slots::FILE);
        let memory = match read(&path)? {
            Some(text) => slots::parse(&path.display().to_string(), &text)
                .map_err(|fault| format!("{fault}; nothing is packed"))?,
            None => Remembered::default(),
        };
        let text = slots::render(slots::FILE, "", &portable(&memory)).map_err(|fault| fault.to_string())?;
        pack.add(Packed::new(slots::FILE, &text)?)?;
        for name in [settings::FILE, games::FILE] {
            if let Some(text) = read(&directory.join(name))? {
                pack.add(Packed::new(name, &text)?)?;
            }
        }
        for kind in [Kind::Sheet, Kind::Profile, Kind::Pad] {
            let within = directory.join(kind.directory());
            let paths =
                listed(&within, |name| Kind::of(name) == Some(kind)).map_err(|error| refused(&within, error))?;
            for path in paths {
                let Some(name) = path.file_name().and_then(|name| name.to_str()) else { continue };
                let text = read(&path)?.unwrap_or_default();
                let packed = Packed::new(name, &text).map_err(|why| refused(&path, why))?;
                pack.add(packed).map_err(|why| refused(&path, why))?;
            }
        }
        Ok(pack)
    }

    /// Whether it is a whole table.
    #[must_use]
    pub fn is_table(&self) -> bool {
        self.files.iter().any(|file| file.kind == Kind::Slots)
    }

    /// Works out what would happen to each file below a directory.
    ///
    /// # Errors
    /// An existing file cannot be read; it is left alone.
    pub fn plan(&self, directory: &Path) -> Result<Vec<Planned>, String> {
        let plan = self.files.iter().map(|file| {
            let place = file.place();
            let path = directory.join(&place);
            let before = read(&path)?;
            let text = match file.kind {
                Kind::Slots => with_table(&path, before.as_deref().unwrap_or_default(), &file.text, self.answer)?,
                _ => file.text.clone(),
            };
            let becomes = match before {
                None => Becomes::New,
                Some(before) if before == text => Becomes::Same,
                Some(_) => Becomes::Changed,
            };
            Ok(Planned { place, becomes, text })
        });
        plan.collect()
    }
}

/// This machine's slots file with a pack's table in it; whatever belongs to this machine alone stays. If it says the same already, it stays as
/// it is: a serial number learnt here is no difference. An answer to a case knows no serial numbers and no nicknames: those stay as well.
fn with_table(path: &Path, before: &str, packed: &str, answers: bool) -> Result<String, String> {
    let shown = path.display().to_string();
    let wanted = slots::parse(slots::FILE, packed).map_err(|fault| fault.to_string())?;
    let own = if before.trim().is_empty() {
        Remembered::default()
    } else {
        slots::parse(&shown, before).map_err(|fault| format!("{fault}; it is left alone"))?
    };
    let same = |wanted: &Remembered| !before.is_empty() && portable(&own) == *wanted;
    if same(&wanted) {
        return Ok(before.to_owned());
    }
    let mut next = Remembered {
        shared_serials: own.shared_serials.clone(),
        pointers: own.pointers.clone(),
        calibrated: own.calibrated.clone(),
        agreed: own.agreed.clone(),
        types_here: own.types_here,
        ..wanted
    };
    if answers {
        next.nicknames.clone_from(&own.nicknames);
        if same(&portable(&next)) {
            return Ok(before.to_owned());
        }
        let known = own.slots.iter().flat_map(|slot| &slot.members).chain(&own.taken_out).chain(&own.left_to_game);
        let known: Vec<&Key> = known.collect();
        let all = next.slots.iter_mut().flat_map(|slot| &mut slot.members);
        let all = all.chain(&mut next.taken_out).chain(&mut next.left_to_game).chain(&mut next.triggers_turned);
        for key in all.chain(next.same.iter_mut().flatten()) {
            let here = |own: &Key| (own.bus, own.vendor, own.product, own.port.clone(), own.part);
            if let Some(own) = known.iter().find(|own| here(own) == here(key)) {
                *key = (*own).clone();
            }
        }
    }
    slots::render(&shown, before, &next).map_err(|fault| fault.to_string())
}

/// The list of the files that were created, beside the copies of those that were replaced.
const CREATED: &str = "created";
/// What it becomes when that has been undone.
const UNDONE: &str = "undone";

/// Carries a plan out below a directory, completely or not at all; files that are replaced are copied to another directory first. Returns the copies.
///
/// # Errors
/// The first file that cannot be copied or written, and that nothing has changed; or else how to bring back what has.
pub fn carry_out(plan: &[Planned], directory: &Path, keep: &Path) -> Result<Vec<PathBuf>, String> {
    let unchanged = |why: String| format!("{why}; nothing has changed");
    let kept = keep_replaced(plan, directory, keep).map_err(unchanged)?;
    for planned in plan.iter().filter(|planned| planned.becomes != Becomes::Same) {
        if let Err(why) = write(&directory.join(&planned.place), planned.text.as_bytes()) {
            return Err(match undo(directory, keep) {
                Ok(_) => unchanged(why),
                Err(also) => format!("{why}; what was changed before it comes back with --undo ({also})"),
            });
        }
    }
    Ok(kept)
}

fn write(path: &Path, bytes: &[u8]) -> Result<(), String> {
    save(path, bytes).map_err(|error| refused(path, error))
}

/// Copies the files that a plan replaces, and lists those that it creates, in a directory of its own. Returns the copies.
fn keep_replaced(plan: &[Planned], directory: &Path, keep: &Path) -> Result<Vec<PathBuf>, String> {
    let numbers = 1u32..;
    let own = numbers.map(|number| keep.join(number.to_string())).find(|path| !path.exists()).unwrap_or_default();
    let becoming = |becomes| plan.iter().filter(move |planned| planned.becomes == becomes);
    let mut kept = Vec::new();
    for planned in becoming(Becomes::Changed) {
        let path = directory.join(&planned.place);
        let before = fs::read(&path).map_err(|error| refused(&path, error))?;
        let place = own.join(&planned.place);
        write(&place, &before)?;
        kept.push(place);
    }
    let created: Vec<String> = becoming(Becomes::New).map(|planned| planned.place.display().to_string()).collect();
    if !kept.is_empty() || !created.is_empty() {
        write(&own.join(CREATED), created.join("\n").as_bytes())?;
    }
    Ok(kept)
}

/// The directory of what was carried out last and not undone.
fn last_carried_out(keep: &Path) -> std::io::Result<Option<PathBuf>> {
    let number = |path: &PathBuf| path.file_name()?.to_str()?.parse::<u32>().ok();
    let all = listed(keep, |name| name.parse::<u32>().is_ok())?;
    Ok(all.into_iter().filter(|path| path.join(CREATED).is_file()).max_by_key(number))
}

/// Whether undoing what was carried out last changes the slots file, which a running engine writes as well.
#[must_use]
pub fn undoes_slots(keep: &Path) -> bool {
    let Ok(Some(own)) = last_carried_out(keep) else { return false };
    let created = read(&own.join(CREATED)).ok().flatten().unwrap_or_default();
    own.join(slots::FILE).exists() || created.lines().any(|place| place == slots::FILE)
}

/// Undoes what was carried out last: replaced files come back, and created ones go. What they are now is kept beside the copies.
/// Returns what came back and what went; both are empty if there is nothing to undo.
///
/// # Errors
/// The first file that cannot be copied, written or removed; those before it are done.
pub fn undo(directory: &Path, keep: &Path) -> Result<[Vec<PathBuf>; 2], String> {
    let Some(own) = last_carried_out(keep).map_err(|error| refused(keep, error))? else {
        return Ok(Default::default());
    };
    let list = own.join(CREATED);
    let created = read(&list)?.unwrap_or_default();
    let aside = |place: &Path| -> Result<(), String> {
        let path = directory.join(place);
        let Ok(now) = fs::read(&path) else { return Ok(()) };
        let to = own.join(UNDONE).join(place);
        write(&to, &now)
    };
    let mut back = Vec::new();
    for within in [".", Kind::Sheet.directory(), Kind::Profile.directory(), Kind::Pad.directory()] {
        let copies =
            listed(&own.join(within), |name| Kind::of(name).is_some()).map_err(|error| refused(&own, error))?;
        for copy in copies {
            let place = Path::new(within).join(copy.file_name().unwrap_or_default());
            aside(&place)?;
            let path = directory.join(&place);
            let before = fs::read(&copy).map_err(|error| refused(&copy, error))?;
            write(&path, &before)?;
            back.push(path);
        }
    }
    let mut gone = Vec::new();
    // The list is a file that anybody could have written to: only what could have been created is removed.
    let is_place = |place: &&str| {
        let name = place.rsplit('/').next().unwrap_or_default();
        Kind::of(name).is_some_and(|kind| place_of(kind, name) == Path::new(place))
    };
    for place in created.lines().filter(is_place) {
        aside(Path::new(place))?;
        let path = directory.join(place);
        match fs::remove_file(&path) {
            Err(error) if !matches!(error.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => {
                return Err(refused(&path, error));
            }
            _ => gone.push(path),
        }
    }
    fs::rename(&list, own.join("was-created")).map_err(|error| refused(&list, error))?;
    Ok([back, gone])
}

#[cfg(test)]
mod tests {
    use super::*;

    const SLOTS: &str = "version = 1\nlocked = true\n# mine\n[[slot]]\nnumber = 2\nprofile = \"ferry\"\n[[slot.device]]\nname = \"Quay pad\"\n\
        bus = 3\nvendor = 4617\nproduct = 2562\nserial = \"Q7\"\nport = \"1-2\"\n[[calibrated]]\nname = \"Quay pad\"\nbus = 3\nvendor = 4617\n\
        product = 2562\nserial = \"Q7\"\n[[calibrated.axis]]\nname = \"X\"\nlow = 3\nrest = 131\nhigh = 250\n[[may_type]]\nprofile = \"ferry\"\n\
        keys = [\"key A\"]\n";
    const PROFILE: &str = "version = 1\nname = \"ferry\"\n";

    fn machine(slots: &str) -> tempfile::TempDir {
        let machine = tempfile::tempdir().expect("a directory");
        fs::create_dir_all(machine.path().join("profiles")).expect("made");
        fs::write(machine.path().join("profiles/ferry.profile.toml"), PROFILE).expect("written");
        if !slots.is_empty() {
            fs::write(machine.path().join("slots.toml"), slots).expect("written");
        }
        machine
    }

    fn becomes(pack: &Pack, at: &Path) -> Vec<(String, Becomes)> {
        let plan = pack.plan(at).expect("a plan");
        plan.iter().map(|one| (one.place.display().to_string(), one.becomes)).collect()
    }

    #[test]
    fn applying_a_table_twice_changes_nothing() {
        let (here, there) = (machine(SLOTS), tempfile::tempdir().expect("a directory"));
        let pack = Pack::of_table(here.path(), "").expect("packed");
        let text = pack.to_text();
        assert!(!text.contains("Q7") && !text.contains("calibrated") && !text.contains("may_type"), "{text}");
        let pack = Pack::parse("t.pack.toml", &text).expect("it is read");
        assert!(pack.is_table());
        let new = vec![("slots.toml".into(), Becomes::New), ("profiles/ferry.profile.toml".into(), Becomes::New)];
        assert_eq!(becomes(&pack, there.path()), new);
        let keep = there.path().join("replaced");
        let plan = pack.plan(there.path()).expect("a plan");
        assert_eq!(carry_out(&plan, there.path(), &keep), Ok(Vec::new()));
        assert!(becomes(&pack, there.path()).iter().all(|(_, becomes)| *becomes == Becomes::Same));
        // Its engine learns a serial number, which is no difference.
        let path = there.path().join("slots.toml");
        let learnt =
            fs::read_to_string(&path).expect("read").replace("port = \"1-2\"", "serial = \"Z9\"\nport = \"1-2\"");
        fs::write(&path, &learnt).expect("written");
        assert_eq!(becomes(&pack, there.path())[0].1, Becomes::Same);
        let plan = pack.plan(there.path()).expect("a plan");
        carry_out(&plan, there.path(), &keep).expect("nothing to do");
        assert_eq!(fs::read_to_string(&path).expect("read"), learnt);
    }

    #[test]
    fn machine_specific_values_stay_and_replaced_files_are_kept() {
        let (here, there) = (machine(SLOTS), machine(&SLOTS.replace("number = 2", "number = 5").replace("Q7", "Z9")));
        fs::write(there.path().join("profiles/ferry.profile.toml"), "version = 1\nname = \"ferry\"\n# theirs\n")
            .expect("written");
        let pack = Pack::of_table(here.path(), "").expect("packed");
        let plan = pack.plan(there.path()).expect("a plan");
        assert!(plan.iter().all(|one| one.becomes == Becomes::Changed), "{plan:?}");
        let keep = there.path().join("replaced");
        let kept = carry_out(&plan, there.path(), &keep).expect("carried out");
        assert_eq!(kept, [keep.join("1/slots.toml"), keep.join("1/profiles/ferry.profile.toml")]);
        assert!(fs::read_to_string(&kept[1]).expect("kept").contains("# theirs"));
        let now = fs::read_to_string(there.path().join("slots.toml")).expect("read");
        let memory = slots::parse("slots.toml", &now).expect("it is read");
        assert_eq!(memory.slots.iter().map(|slot| slot.number.number()).collect::<Vec<_>>(), [2]);
        assert_eq!((memory.calibrated.len(), memory.agreed.len()), (1, 1), "measured and allowed here: {now}");
        assert!(fs::read_to_string(&kept[0]).expect("kept").contains("# mine"), "nothing that somebody wrote is lost");
    }

    #[test]
    fn a_table_is_taken_over_completely_or_not_at_all() {
        let (here, there) = (machine(SLOTS), machine(&SLOTS.replace("number = 2", "number = 5")));
        let pack = Pack::of_table(here.path(), "").expect("packed");
        let (slots, profiles) = (there.path().join("slots.toml"), there.path().join("profiles"));
        let before = fs::read(&slots).expect("read");
        fs::remove_dir_all(&profiles).expect("removed");
        let plan = pack.plan(there.path()).expect("a plan");
        assert_eq!((plan[0].becomes, plan[1].becomes), (Becomes::Changed, Becomes::New));
        // In the meantime, something else is where the profiles belong.
        fs::write(&profiles, "").expect("written");
        let keep = there.path().join("replaced");
        let why = carry_out(&plan, there.path(), &keep).expect_err("there is no place for a profile");
        assert!(why.contains("ferry.profile.toml") && why.ends_with("nothing has changed"), "{why}");
        assert_eq!(fs::read(&slots).expect("read"), before);
        assert_eq!(undo(there.path(), &keep), Ok(Default::default()), "nothing is left to undo");
    }

    #[test]
    fn a_damaged_file_is_left_alone() {
        let (here, there) = (machine(SLOTS), machine("version = 1\n[[slot]]\nnumber = 9\n"));
        let pack = Pack::of_table(here.path(), "").expect("packed");
        let why = pack.plan(there.path()).expect_err("it cannot be read");
        assert!(why.contains("slots.toml:3") && why.contains("it is left alone"), "{why}");
        assert!(Pack::of_table(there.path(), "").expect_err("nor packed").contains("nothing is packed"));
    }
}
