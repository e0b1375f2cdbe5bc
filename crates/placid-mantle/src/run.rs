//! `run`: the real world, on the screen or as a log.

use crate::args::RunArgs;
use crate::exit::{Exit, refuse};
use crate::home;
use crate::log::Log;
use crate::say::{say, say_error};
use crate::screen_args::ScreenArgs;
use mantle_core::front::Front;
use mantle_core::table::{Settings, Table};
use mantle_files::FileFault;
use mantle_link::{Held, LinkFault};
use mantle_linux::coverer::{CoverPaths, recover};
use mantle_linux::lock::{self, Lock, Taken};
use mantle_linux::{LinuxWorld, Paths, scan};
use mantle_talk::Header;
use std::os::unix::fs::MetadataExt;
use std::path::Path;
use std::time::SystemTime;

/// What an engine needs to run on this machine, and what keeps a second engine out.
pub struct Machine {
    pub paths: Paths,
    pub settings: Settings,
    /// The owner of the configuration, if it is not who runs the program.
    pub account: Option<String>,
    /// Warnings about the machine and its files.
    pub warnings: Vec<String>,
    /// The lock, or the account whose engine holds it.
    pub lock: Result<Lock, Taken>,
}

impl Machine {
    /// Takes the machine for this process, undoes what an earlier run left, and reads the configuration.
    ///
    /// # Errors
    /// Another engine has it, which has been reported. If the engine `waits`, another account's engine is not an error.
    pub fn take(bare: bool, waits: bool) -> Result<Self, Exit> {
        let lock = lock::take();
        if let Err(Taken { by, .. }) = &lock
            && (!waits || is_own(by.uid))
        {
            say_error!("placid-mantle: {by}");
            return Err(Exit::Another);
        }
        // Pads of other accounts' engines rest while this one plays.
        let pids = scan::foreign_pads(Path::new("/sys"))
            .into_iter()
            .map(|phys| phys.split('/').nth(1).unwrap_or("?").to_owned());
        let account_of = |pid: &String| std::fs::metadata(format!("/proc/{pid}")).ok().map(|process| process.uid());
        if let Some(pid) = pids.into_iter().find(|pid| account_of(pid).is_none_or(is_own)) {
            say_error!("placid-mantle: another placid-mantle has pads already (process {pid}): end that one first");
            return Err(Exit::Another);
        }
        let mut notices = Vec::new();
        match recover(&CoverPaths::default()) {
            Ok(0) => {}
            Ok(n) => say_error!("placid-mantle: {n} devices that an earlier run left covered were uncovered"),
            Err(error) => {
                notices.push(format!("Devices that an earlier run left covered cannot be uncovered: {error}."))
            }
        }
        let home = home::open();
        if let Some(fault) = &home.fault {
            notices.push(format!("{fault}; slots are not saved and the file is left alone. Mend it, and start again."));
        }
        let paths = Paths {
            sys: "/sys".into(),
            slots: home.slots.clone(),
            save_slots: home.fault.is_none(),
            past: mantle_files::state_directory().map(|state| state.join("profiles")),
            shipped: mantle_files::shipped::sheets,
            batteries: || mantle_bus::batteries().unwrap_or_default(),
            radio: |tell| {
                let seen = mantle_files::state_directory().map(|state| state.join("radio.toml"));
                Box::new(mantle_radio::Bluez::start(mantle_radio::Places { seen, ..Default::default() }, tell))
            },
            raise: |thread, level| mantle_bus::raise(thread, level).map_err(|fault| fault.to_string()),
            apart: |name, process| mantle_bus::scope(name, process).map_err(|fault| fault.to_string()),
        };
        notices.extend(home.unwritable());
        let said = |faults: &[FileFault]| faults.iter().map(FileFault::sentence).collect();
        let file_faults =
            [&home.profile_faults, &home.sheet_faults, &home.setting_faults, &home.pad_faults, &home.rule_faults]
                .map(|own| said(own));
        let warnings: Vec<String> = notices.iter().chain(file_faults.iter().flatten()).cloned().collect();
        let settings = Settings {
            remembered: home.remembered,
            cover: !bare,
            sheets: home.sheets,
            profiles: home.profiles,
            own_pads: home.own_pads,
            rules: home.rules,
            notices,
            file_faults,
            preferences: home.preferences,
            began: began(),
            front: Front::default(),
        };
        Ok(Self { paths, settings, account: home.account, warnings, lock })
    }

    /// The header of its screens.
    pub fn header(&self) -> Header {
        let title = std::fs::read_to_string("/proc/sys/kernel/hostname").unwrap_or_default().trim().to_owned();
        Header { title, account: self.account.clone(), ..Header::default() }
    }

    /// Says whose configuration it is, and what else people should know.
    pub fn say_warnings(&self) {
        if let Some(account) = &self.account {
            say!("run by {account}");
        }
        self.warnings.iter().for_each(|warning| say!("warning: {warning}"));
    }
}

/// Whether this program runs as that account.
fn is_own(account: u32) -> bool {
    account == rustix::process::geteuid().as_raw()
}

/// Seconds from 1970 to moment 0 of the time stamps.
fn began() -> Option<u64> {
    let now = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).ok()?;
    Some(now.as_secs().saturating_sub(mantle_linux::now().0 / 1_000_000))
}

/// Runs the engine over the real world.
pub fn run(args: &RunArgs) -> Exit {
    // Its socket shows that an engine is running; without a socket, only its own screen has it.
    let held = match mantle_link::Place::of_this_account().and_then(|place| place.take()) {
        Ok(held) => Some(held),
        Err(taken @ LinkFault::Taken(_)) => {
            say_error!("placid-mantle: {taken}");
            return Exit::Another;
        }
        Err(_) => None,
    };
    let machine = match Machine::take(args.bare, false) {
        Ok(machine) => machine,
        Err(exit) => return exit,
    };
    if args.headless {
        machine.say_warnings();
        return headless(machine, args.frames);
    }
    open(args.screen, machine, held)
}

/// Opens a screen with its own engine.
pub fn open(screen: ScreenArgs, machine: Machine, held: Option<Held>) -> Exit {
    let header = machine.header();
    let Machine { paths, settings, lock, .. } = machine;
    crate::screen::run(screen, header, held, crate::screen::Opening::Greeted, || {
        let (world, give) = LinuxWorld::new(&paths, lock)
            .map_err(|error| format!("the machine cannot be watched for devices: {error}"))?;
        let front = world.front();
        Ok((world, Table::new(Settings { front, ..settings }), give))
    })
}

fn headless(machine: Machine, frames: bool) -> Exit {
    // Without uinput nothing can be done, so say so at once.
    if let Err(fault) = mantle_linux::uinput::open() {
        say_error!("placid-mantle: no pad can be made: {}", fault.told());
        return Exit::NoPads;
    }
    let (mut world, _give) = match LinuxWorld::new(&machine.paths, machine.lock) {
        Ok(made) => made,
        Err(error) => return refuse(format!("the machine cannot be watched for devices: {error}")),
    };
    let mut table = Table::new(Settings { front: world.front(), ..machine.settings });
    let mut log = Log::new(std::io::stdout(), frames);
    mantle_engine::run(&mut world, &mut table, &mut log);
    world.finish();
    log.exit()
}
