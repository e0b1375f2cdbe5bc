//! `readiness`: what stands in the way of play, and its remedies, carried out with consent.

use crate::asking::Asked;
use crate::exit::Exit;
use crate::say::{say, say_error};
use crate::setup;
use mantle_core::readiness::{Obstacle, Remedy, obstacles};
use mantle_linux::sight::{self, SightPaths};
use mantle_linux::{readiness, rumble_driver};
use mantle_talk::{Watch, Wish, as_sentence};
use serde::{Deserialize, Serialize};
use std::io::BufRead;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

/// How long the engine may take to examine the machine.
const ENGINE: Duration = Duration::from_secs(5);

#[derive(Serialize, Deserialize)]
struct ReadinessSaid {
    version: u32,
    ready: bool,
    findings: Vec<FindingSaid>,
}

#[derive(Serialize, Deserialize)]
struct FindingSaid {
    #[serde(flatten)]
    finding: Obstacle,
    can_be_mended: bool,
}

/// The findings for this account; for root under sudo, those of the calling account, since everything is open to root.
fn found() -> Result<Vec<Obstacle>, String> {
    let caller = std::env::var("SUDO_USER").ok().filter(|_| rustix::process::geteuid().is_root());
    let Some(caller) = caller.filter(|caller| caller != "root") else {
        if let Some(found) = by_engine() {
            return Ok(found);
        }
        let look = sight::look(&SightPaths::default(), None);
        return Ok(obstacles(&readiness::facts(setup::FILE, &look)));
    };
    let own = std::env::current_exe().map_err(|error| error.to_string())?;
    let runs = ["/usr/sbin/runuser", "/sbin/runuser"].into_iter().find(|path| Path::new(path).exists());
    let runs = runs.ok_or_else(|| format!("runuser is missing, which is needed to find out what {caller} may do"))?;
    let looked = Command::new(runs).args(["-u", &caller, "--"]).arg(own).args(["readiness", "--json"]).output();
    let looked = looked.map_err(|error| format!("{runs}: {error}"))?;
    let said: ReadinessSaid = serde_json::from_slice(&looked.stdout)
        .map_err(|_| format!("as {caller}: {}", String::from_utf8_lossy(&looked.stderr).trim()))?;
    Ok(said.findings.into_iter().map(|said| said.finding).collect())
}

/// The findings of this account's engine, if it is running on this machine's devices and answers; it has also taken measurements.
fn by_engine() -> Option<Vec<Obstacle>> {
    let asked = Asked::quietly()?;
    asked.order(Wish::Watch(Watch { readiness: true, ..Watch::default() }));
    let found = asked.wait_until(Instant::now() + ENGINE, |snapshot| match snapshot.header.demo {
        true => Some(None),
        false => snapshot.readiness.clone().map(Some),
    });
    found.ok().flatten().flatten()
}

/// Prints the findings; with `fix`, asks about each one that can be mended from here, and mends it.
pub fn run(json: bool, fix: bool) -> Exit {
    let found = match found() {
        Ok(found) => found,
        Err(why) => {
            say_error!("placid-mantle: {why}");
            return Exit::Failed;
        }
    };
    if json {
        let findings: Vec<FindingSaid> =
            found.into_iter().map(|finding| FindingSaid { can_be_mended: finding.can_be_mended(), finding }).collect();
        let Ok(text) = crate::say::json(&ReadinessSaid { version: 1, ready: findings.is_empty(), findings }) else {
            return Exit::Failed;
        };
        say!("{text}");
        return Exit::Fine;
    }
    if found.is_empty() {
        say!("This machine is ready to play.");
        return Exit::Fine;
    }
    let root = rustix::process::geteuid().is_root();
    let mut failed = false;
    for obstacle in &found {
        tell(obstacle);
        if fix && obstacle.can_be_mended() {
            failed |= !mend_one(obstacle, root);
        }
        say!();
    }
    if !fix {
        let mendable = found.iter().any(Obstacle::can_be_mended);
        if mendable {
            say!("{}placid-mantle readiness --fix asks about each that it can mend.", if root { "" } else { "sudo " });
        }
        return Exit::Fine;
    }
    if failed { Exit::Failed } else { Exit::Fine }
}

fn tell(obstacle: &Obstacle) {
    say!("▲ {}", as_sentence(&obstacle.what));
    say!("  why it matters  {}", obstacle.why);
    say!("  what mends it   {}", obstacle.remedy);
    if obstacle.can_be_mended() {
        say!("  what changes    {}", obstacle.changes);
    }
}

/// Asks, and mends it. Returns whether nothing has failed.
fn mend_one(obstacle: &Obstacle, root: bool) -> bool {
    if !root {
        say!("  From here this needs root: sudo placid-mantle readiness --fix");
        return true;
    }
    say!("  Do it now? y or n");
    let mut answer = String::new();
    let said = std::io::stdin().lock().read_line(&mut answer);
    if said.is_err() || !matches!(answer.trim(), "y" | "Y" | "yes") {
        say!("  Left as it is.");
        return true;
    }
    if let Err(why) = carry_out(&obstacle.mend) {
        say_error!("placid-mantle: {why}");
        return false;
    }
    match found() {
        Ok(now) if now.iter().any(|now| now.key == obstacle.key) => {
            say!("  Done, but it is still found. You may have to plug a device in again, or log in again.");
        }
        Ok(_) => say!("  It is gone."),
        Err(why) => say_error!("placid-mantle: {why}"),
    }
    true
}

fn carry_out(remedy: &Remedy) -> Result<(), String> {
    match remedy {
        Remedy::Person => Err("only a person can do that".into()),
        Remedy::Setup { devices, helper } => setup::install(devices, *helper),
        Remedy::Replace(path) => {
            std::fs::remove_file(path).map_err(|error| format!("{path}: {error}"))?;
            setup::install(&[], false)
        }
        Remedy::Module(name) => {
            let modprobe = rumble_driver::modprobe().ok_or("modprobe is not installed")?;
            match Command::new(modprobe).arg(name).output().map(|output| output.status) {
                Ok(status) if status.success() => Ok(()),
                Ok(status) => Err(format!("modprobe {name} ended with {status}")),
                Err(error) => Err(format!("modprobe {name}: {error}")),
            }
        }
        Remedy::KeepAwake(file) => {
            let path = Path::new(file);
            // Only files named by this machine's facts: those of a device's power.
            if !(path.starts_with("/sys/devices") && path.ends_with("power/control")) {
                return Err(format!("{file} does not exist"));
            }
            std::fs::write(path, "on").map_err(|error| format!("{file}: {error}"))
        }
    }
}
