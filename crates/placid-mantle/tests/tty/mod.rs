//! The demo in a real terminal.

use mantle_lab::Tmux;
use std::fmt::Write;
use std::path::PathBuf;

pub const DESIGN: (u16, u16) = (160, 46);

pub fn demo(arguments: &str) -> String {
    format!("{} demo --piped {arguments}", env!("CARGO_BIN_EXE_placid-mantle"))
}

pub fn start(name: &str, size: (u16, u16), arguments: &str) -> Tmux {
    start_with(name, size, arguments, &[])
}

/// The same with further environment variables, and in the home directory that they give: files are offered from where the program was started.
pub fn start_with(name: &str, size: (u16, u16), arguments: &str, more: &[(&str, &str)]) -> Tmux {
    let usual = [("LC_ALL", "C.UTF-8"), ("NO_COLOR", ""), ("RUST_BACKTRACE", "0")];
    let environment: Vec<_> = usual.iter().chain(more).copied().collect();
    let home = more.iter().find(|(key, _)| *key == "HOME").map_or(".", |(_, home)| *home);
    Tmux::start(name, size, &environment, &format!("cd {home} && {}", demo(arguments))).expect("tmux starts")
}

/// A scene of our own: devices that nobody touches.
pub fn quiet_scene(name: &str, devices: &[&str]) -> PathBuf {
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("{name}.scene.toml"));
    let mut text = "version = 1\ntitle = \"quiet\"\n".to_owned();
    for (port, device) in devices.iter().enumerate() {
        let _ = write!(text, "[[device]]\nfile = \"{device}\"\nport = \"1-{}\"\nhands = false\n", port + 2);
    }
    std::fs::write(&path, text).expect("a scene");
    path
}

/// Presses a control of the device in hand once the program asks for it, and waits until these words appear. The key is held a little: a terminal
/// repeats it, and the repeats must mean nothing.
pub fn press(tmux: &Tmux, key: &str, heard: &str) {
    tmux.wait("the request for a press", |screen| screen.contains("nothing is pressed yet")).expect("it asks");
    tmux.keys(&[key, key, key]).expect("keys");
    tmux.wait(heard, |screen| screen.contains(heard)).expect("it is heard");
}
