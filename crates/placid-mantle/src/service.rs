//! `service`: starts the engine at login, through a systemd user unit or, without systemd, an XDG autostart entry.

use crate::exit::{Exit, refuse};
use crate::say::{say, say_error};
use crate::units::engine;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

const UNIT: &str = "placid-mantle.service";
/// The note in the unit: who wrote it, and how to remove it.
const BY: &str = "Written by `placid-mantle service install`; `placid-mantle service remove` takes it away.";
const AUTOSTART: &str = "placid-mantle.desktop";

/// The answer of `systemctl --user`.
struct Said {
    fine: bool,
    text: String,
}

/// Asks the user's service manager; none if there is none.
fn systemctl(arguments: &[&str]) -> Option<Said> {
    let done = Command::new("systemctl").arg("--user").args(arguments).stdin(Stdio::null()).output().ok()?;
    let bytes = if done.status.success() || !done.stdout.is_empty() { done.stdout } else { done.stderr };
    Some(Said { fine: done.status.success(), text: String::from_utf8_lossy(&bytes).trim().to_owned() })
}

/// Whether this session has a service manager.
fn has_manager() -> bool {
    systemctl(&["show-environment"]).is_some_and(|said| said.fine)
}

/// The account's configuration directory.
fn config() -> Option<PathBuf> {
    let own = mantle_files::config_directory()?;
    own.parent().map(Path::to_owned)
}

fn unit_path() -> Option<PathBuf> {
    Some(config()?.join("systemd/user").join(UNIT))
}

/// The autostart entry for sessions without a service manager.
fn autostart(program: &str) -> String {
    // In an Exec line a percent sign begins a code, and backslashes are unescaped twice.
    let quoted = program.replace('\\', "\\\\\\\\").replace('"', "\\\\\"").replace('`', "\\\\`").replace('$', "\\\\$");
    format!(
        "[Desktop Entry]\nType=Application\nName=Placid Mantle\nExec=\"{}\" serve\nTerminal=false\nNoDisplay=true\n",
        quoted.replace('%', "%%")
    )
}

fn program() -> Result<String, Exit> {
    let path =
        std::env::current_exe().map_err(|error| refuse(format!("the path of this program is unknown: {error}")))?;
    path.to_str().map(str::to_owned).ok_or_else(|| refuse("the path of this program is not valid text"))
}

/// `service install`.
pub fn install() -> Exit {
    either(install_unit())
}

fn either(done: Result<Exit, Exit>) -> Exit {
    done.unwrap_or_else(|exit| exit)
}

fn no_home() -> Exit {
    refuse("there is no home directory for it")
}

fn install_unit() -> Result<Exit, Exit> {
    let program = program()?;
    if !has_manager() {
        let Some(config) = config() else { return Err(no_home()) };
        let path = config.join("autostart").join(AUTOSTART);
        say!("This session has no systemd. Put this into {} to start the engine at login:", path.display());
        say!();
        autostart(&program).lines().for_each(|line| say!("{line}"));
        return Ok(Exit::Fine);
    }
    let Some(path) = unit_path() else { return Err(no_home()) };
    let text = engine(BY, &program);
    let before = std::fs::read_to_string(&path).ok();
    if before.as_deref() != Some(text.as_str()) {
        write(&path, &text)?;
    }
    for arguments in [&["daemon-reload"][..], &["enable", UNIT], &["restart", UNIT]] {
        let done = systemctl(arguments).filter(|said| !said.fine);
        if let Some(said) = done {
            say_error!("placid-mantle: systemctl --user {} failed: {}", arguments.join(" "), said.text);
            say_error!("The unit was written ({}); journalctl --user -u {UNIT} says more.", path.display());
            return Err(Exit::Failed);
        }
    }
    say!("The engine starts at login ({}), and is running now.", path.display());
    say!("placid-mantle opens a screen for it; placid-mantle service remove undoes this.");
    Ok(Exit::Fine)
}

fn write(path: &Path, text: &str) -> Result<(), Exit> {
    let failed = |error: std::io::Error| refuse(format!("{} cannot be written: {error}", path.display()));
    let directory = path.parent().ok_or_else(no_home)?;
    std::fs::create_dir_all(directory).map_err(failed)?;
    mantle_files::save(path, text.as_bytes()).map_err(failed)
}

/// `service remove`.
pub fn remove() -> Exit {
    let Some(path) = unit_path() else { return no_home() };
    if !path.exists() {
        say!("Nothing is installed ({} does not exist).", path.display());
        return Exit::Fine;
    }
    let stopped = systemctl(&["disable", "--now", UNIT]);
    if let Some(said) = stopped.as_ref().filter(|said| !said.fine) {
        say_error!("placid-mantle: systemctl --user disable --now {UNIT} failed: {}", said.text);
    }
    if let Err(error) = std::fs::remove_file(&path) {
        return refuse(format!("{} cannot be removed: {error}", path.display()));
    }
    let _ = systemctl(&["daemon-reload"]);
    say!("The engine no longer starts at login ({} is removed).", path.display());
    if stopped.is_some_and(|said| said.fine) { Exit::Fine } else { Exit::Failed }
}

/// `service status`.
pub fn status() -> Exit {
    let Some(path) = unit_path() else { return no_home() };
    if !has_manager() {
        say!("This session has no systemd: service install prints an autostart entry instead.");
    } else if path.exists() {
        let word = |what: &str| systemctl(&[what, UNIT]).map_or_else(|| "unknown".to_owned(), |said| said.text);
        say!("installed: {}", path.display());
        say!("at login: {}", word("is-enabled"));
        say!("now: {}", word("is-active"));
    } else {
        say!("not installed: placid-mantle service install starts the engine at login");
    }
    let holder = mantle_link::Place::of_this_account().ok().and_then(|place| place.holder());
    match holder {
        Some(holder) => say!("engine: {holder}"),
        None => say!("engine: none is running for this account"),
    }
    Exit::Fine
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_with_special_characters_stays_one_word() {
        let text = engine(BY, "/home/a \"b\"/50%/$x\\y");
        assert!(text.contains("ExecStart=\"/home/a \\\"b\\\"/50%%/$$x\\\\y\" serve\n"), "{text}");
        assert!(autostart("/home/a b/50%").contains("Exec=\"/home/a b/50%%\" serve\n"));
    }
}
