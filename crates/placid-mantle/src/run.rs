//! `run`: the real world, on the screen or as a log.

use crate::args::{RunArgs, ScreenArgs};
use crate::exit::{Exit, refuse};
use crate::frames::{write_frame, write_typed};
use crate::home;
use crate::say::{say, say_error};
use mantle_core::keys::Typed;
use mantle_core::pad::Events;
use mantle_core::path::{Mark, Sentence};
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Note, Settings, Table};
use mantle_core::time::Micros;
use mantle_core::visible::visible;
use mantle_engine::Observer;
use mantle_files::FileFault;
use mantle_link::{Held, LinkFault};
use mantle_linux::coverer::{CoverPaths, recover};
use mantle_linux::{LinuxWorld, Paths, lock, scan};
use mantle_talk::Header;
use std::io::Write;
use std::path::Path;

/// What an engine over this machine needs, and what keeps another one out.
pub struct Machine {
    pub paths: Paths,
    pub settings: Settings,
    /// Whose configuration it is, where that may surprise.
    pub account: Option<String>,
    /// What should be known of the machine and its files.
    pub warnings: Vec<String>,
    _lock: lock::Lock,
}

impl Machine {
    /// Takes the machine for this process, undoes what an earlier one has left, and reads the configuration.
    ///
    /// # Errors
    /// Somebody else has it: that has been said.
    pub fn take(bare: bool) -> Result<Self, Exit> {
        let lock = lock::take().map_err(|other| {
            say_error!("placid-mantle: {other}");
            Exit::Another
        })?;
        if let Some(phys) = scan::foreign_pads(Path::new("/sys")).first() {
            let pid = phys.split('/').nth(1).unwrap_or("?");
            say_error!(
                "placid-mantle: pads of another placid-mantle are there already (process {pid}): end that one first"
            );
            return Err(Exit::Another);
        }
        let cover = CoverPaths::default();
        let mut notices = Vec::new();
        match recover(&cover) {
            Ok(0) => {}
            Ok(n) => say_error!("placid-mantle: {n} devices that an earlier run had left covered are uncovered"),
            Err(error) => notices.push(format!("What an earlier run left covered cannot be undone: {error}.")),
        }
        let home = home::open();
        if let Some(fault) = &home.fault {
            notices
                .push(format!("{fault}; slots are not saved, and the file is left alone: mend it, and start again."));
        }
        let paths = Paths {
            sys: "/sys".into(),
            slots: home.slots.clone(),
            save_slots: home.fault.is_none(),
            cover,
            past: mantle_files::state_directory().map(|state| state.join("profiles")),
            shipped: mantle_files::shipped::sheets,
        };
        notices.extend(home.unwritable());
        let said = |faults: &[FileFault]| faults.iter().map(FileFault::sentence).collect();
        let file_faults = [said(&home.profile_faults), said(&home.sheet_faults)];
        let warnings: Vec<String> = notices.iter().chain(file_faults.iter().flatten()).cloned().collect();
        let settings = Settings {
            remembered: home.remembered,
            cover: !bare,
            sheets: home.sheets,
            profiles: home.profiles,
            notices,
            file_faults,
        };
        Ok(Self { paths, settings, account: home.account, warnings, _lock: lock })
    }

    /// What stands at the top of its screens.
    pub fn header(&self) -> Header {
        let title = std::fs::read_to_string("/proc/sys/kernel/hostname").unwrap_or_default().trim().to_owned();
        Header { title, account: self.account.clone(), ..Header::default() }
    }

    /// Says who it is for, and what should be known.
    pub fn say_warnings(&self) {
        if let Some(account) = &self.account {
            say!("run by {account}");
        }
        self.warnings.iter().for_each(|warning| say!("warning: {warning}"));
    }
}

/// Runs the engine over the real world.
pub fn run(args: &RunArgs) -> Exit {
    // One that runs already is said by its socket, where there is one; without one only its screens have it.
    let held = match mantle_link::Place::of_this_account().and_then(|place| place.take()) {
        Ok(held) => Some(held),
        Err(taken @ LinkFault::Taken(_)) => {
            say_error!("placid-mantle: {taken}");
            return Exit::Another;
        }
        Err(_) => None,
    };
    let machine = match Machine::take(args.bare) {
        Ok(machine) => machine,
        Err(exit) => return exit,
    };
    if args.headless {
        machine.say_warnings();
        return headless(&machine.paths, machine.settings, args.frames);
    }
    open(args.screen, machine, held)
}

/// The screen, with an engine of its own.
pub fn open(screen: ScreenArgs, machine: Machine, held: Option<Held>) -> Exit {
    let header = machine.header();
    let Machine { paths, settings, _lock, .. } = machine;
    crate::screen::run(screen, header, held, || {
        let (world, give) =
            LinuxWorld::new(&paths).map_err(|error| format!("the machine cannot be watched: {error}"))?;
        Ok((world, Table::new(settings), give))
    })
}

fn headless(paths: &Paths, settings: Settings, frames: bool) -> Exit {
    // Without uinput there is nothing to do, and nobody to show it to: say so at once.
    if let Err(fault) = mantle_linux::uinput::open() {
        say_error!("placid-mantle: no pad can be made: {}. Remedy: {}.", fault.cause(), fault.remedy());
        return Exit::NoPads;
    }
    let (mut world, _give) = match LinuxWorld::new(paths) {
        Ok(made) => made,
        Err(error) => return refuse(format!("the machine cannot be watched: {error}")),
    };
    let mut table = Table::new(settings);
    let mut log = Log::new(std::io::stdout(), frames);
    mantle_engine::run(&mut world, &mut table, &mut log);
    world.finish();
    log.exit()
}

/// So often the sentence is worked out while only reports come.
const EVERY: Micros = Micros::seconds(1);

/// Writes journal entries, frames, and the sentence whenever it changes.
pub struct Log<W> {
    out: W,
    /// Whether frames are written as well.
    frames: bool,
    /// How often the table had settled when the sentence was last worked out.
    settled: u64,
    /// When it was.
    looked: Micros,
    /// The sentence.
    said: Option<Sentence>,
    /// The world has ended by a fault of its own.
    lost: bool,
    failed: bool,
}

impl<W: Write> Log<W> {
    /// A log, with or without frames.
    pub fn new(out: W, frames: bool) -> Self {
        Self { out, frames, settled: 0, looked: Micros(0), said: None, lost: false, failed: false }
    }

    /// How the program ends by it.
    pub fn exit(&self) -> Exit {
        if self.failed || self.lost { Exit::Failed } else { Exit::Fine }
    }

    fn line(&mut self, now: Micros, text: &str) {
        let line = format!("{}.{:06} {}\n", now.0 / 1_000_000, now.0 % 1_000_000, visible(text));
        self.failed |= self.out.write_all(line.as_bytes()).and_then(|()| self.out.flush()).is_err();
    }
}

impl<W: Write> Observer for Log<W> {
    fn handle_frame(&mut self, now: Micros, slot: SlotNumber, events: &Events) {
        if self.frames {
            self.failed |= write_frame(&mut self.out, now, slot, events).is_err();
        }
    }

    fn handle_typed(&mut self, now: Micros, slot: SlotNumber, typed: &Typed) {
        if self.frames {
            self.failed |= write_typed(&mut self.out, now, slot, typed).is_err();
        }
    }

    fn handle_note(&mut self, note: Note) {
        let sign = match note.mark {
            Mark::Stop => "stop: ",
            Mark::Doubt | Mark::Ask => "look: ",
            _ => "",
        };
        self.line(note.at, &format!("{sign}{}", note.text));
    }

    fn handle_warning(&mut self, note: Note) {
        self.lost |= note.mark == Mark::Stop;
        self.handle_note(note);
    }

    fn look(&mut self, now: Micros, table: &Table) {
        // It is worked out when the table has settled anew. What reports alone have changed of it is said within a second:
        // for each report that would be far too much.
        let settled = std::mem::replace(&mut self.settled, table.settled()) != table.settled();
        if settled || now.since(self.looked) >= EVERY {
            self.looked = now;
            let facts: Vec<_> = SlotNumber::all().filter_map(|slot| table.slot_facts(slot)).collect();
            let sentences = mantle_core::path::sentences(&facts, &table.table_facts());
            // A silence that lasts on is no news.
            let is_news = |first: &Sentence| !self.said.as_ref().is_some_and(|said| said.says_the_same(first));
            if let Some(first) = sentences.into_iter().next().filter(is_news) {
                self.line(now, &first.text);
                self.said = Some(first);
            }
        }
    }
}
