//! Bindings changed while somebody plays: by pressing on a device, by hand in the file, and undone after a restart.

use crate::bench::{self, Bench};
use mantle_files::shipped;
use mantle_lab::{StandIn, Tmux};
use std::cell::RefCell;

fn quay(pad: &RefCell<StandIn>, buttons: &str) -> Result<(), String> {
    pad.borrow_mut().send(0, &bench::bytes(&format!("01 {buttons} 80 80 80 80 80 00 00")))
}

/// The line of a target in the Bindings view.
fn line<'a>(screen: &'a str, target: &str) -> &'a str {
    let own = |line: &&str| line.chars().take(30).collect::<String>().contains(target);
    screen.lines().find(own).unwrap_or_default()
}

fn start(name: &str, home: &str) -> Result<Tmux, String> {
    let environment = [("LC_ALL", "C.UTF-8"), ("HOME", home), ("NO_COLOR", "1")];
    Tmux::start(name, (160, 46), &environment, &format!("{} run", env!("CARGO_BIN_EXE_placid-mantle")))
}

/// The whole way: bound by pressing, saved, edited by hand, broken and mended, and undone after a restart.
pub fn bound(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    let pad = RefCell::new(StandIn::plug(&file, "lab-1", Some("LAB-SERIAL"))?);
    let home = bench.home();
    let shown = home.display().to_string();
    let tmux = start("bind", &shown)?;
    tmux.wait("the pad", |screen| screen.contains("Slot 1") && screen.contains("covered"))?;
    mantle_lab::wait_for("the engine to listen", || pad.borrow().is_open(0).then_some(()))?;
    quay(&pad, "00")?;
    tmux.keys(&["1", "B", "Enter"])?;
    tmux.wait("the request", |screen| screen.contains("Press and release the control for South"))?;
    // Button 4 plays North at this point. It is pressed until it is heard, since nobody outside knows when listening has begun.
    let sent = RefCell::new(Ok(()));
    tmux.wait("the question", |screen| {
        if screen.contains("button 4 moved from North") {
            return true;
        }
        let done = quay(&pad, "08").and_then(|()| quay(&pad, "00"));
        sent.replace(done).is_err()
    })?;
    sent.into_inner()?;
    tmux.keys(&["Enter"])?;
    tmux.wait("the move", |screen| {
        line(screen, "South").contains("← button 4") && line(screen, "North").contains("nothing")
    })?;
    quay(&pad, "08")?;
    tmux.wait("South", |screen| line(screen, "South").contains("●"))?;
    quay(&pad, "00")?;
    let path = home.join(".config/placid-mantle/profiles/quay-pad.profile.toml");
    let text = std::fs::read_to_string(&path).map_err(|error| format!("{}: {error}", path.display()))?;
    let write = |text: &str| std::fs::write(&path, text).map_err(|error| error.to_string());
    // By hand: used as soon as it is saved; if broken, that is reported and everything plays on; once mended, that is over.
    write(&text.replace("\"button 4\"", "\"button 6\""))?;
    tmux.wait("the edit", |screen| line(screen, "South").contains("← button 6"))?;
    write("version = 1\nname = ")?;
    tmux.wait("the fault", |screen| screen.contains("quay-pad.profile.toml:2:"))?;
    quay(&pad, "20")?;
    tmux.wait("South all the same", |screen| line(screen, "South").contains("●"))?;
    quay(&pad, "00")?;
    write(&text)?;
    tmux.wait("all to be well", |screen| {
        !screen.contains("quay-pad.profile.toml:2:") && line(screen, "South").contains("← button 4")
    })?;
    tmux.keys(&["q"])?;
    tmux.wait("the question", |screen| screen.contains("1 pad is in use"))?;
    tmux.keys(&["y"])?;
    tmux.wait("the end", |screen| screen.contains("[ended 0]"))?;
    drop(tmux);
    let tmux = start("bind-again", &shown)?;
    tmux.wait("the pad", |screen| screen.contains("Slot 1") && screen.contains("covered"))?;
    tmux.keys(&["1", "B"])?;
    tmux.wait("what was saved", |screen| line(screen, "South").contains("← button 4"))?;
    tmux.keys(&["u"])?;
    tmux.wait("what was before", |screen| {
        line(screen, "South").contains("← button 1") && line(screen, "North").contains("← button 4")
    })?;
    tmux.keys(&["q"])?;
    tmux.wait("the question", |screen| screen.contains("1 pad is in use"))?;
    tmux.keys(&["y"])?;
    tmux.wait("the end", |screen| screen.contains("[ended 0]")).map(|_| ())
}
