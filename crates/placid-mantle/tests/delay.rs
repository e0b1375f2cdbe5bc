//! What takes time, in a real terminal: a link that loses reports, the person's limit for that, and its chart on paper.

#[allow(dead_code, reason = "the other tests of the screen use the rest of it")]
mod tty;

use mantle_lab::Tmux;
use std::path::{Path, PathBuf};
use std::process::Command;

fn wait(tmux: &Tmux, words: &'static str) -> String {
    tmux.wait(words, |screen| screen.contains(words)).unwrap_or_else(|why| panic!("{why}"))
}

/// A panel by radio that loses six of a hundred reports, and a limit for that in percent.
fn start(name: &str, limit: &str, state: &Path) -> Tmux {
    let scene = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("{name}.scene.toml"));
    let text = format!(
        "version = 1\ntitle = \"far away\"\nsettings = \"version = 1\\n[limits]\\nlost = {limit}\"\n[[device]]\nfile = \"harbour-panel\"\n\
         port = \"radio\"\nbus = \"bluetooth\"\nlost = 0.06\njitter = 2.0\n"
    );
    std::fs::write(&scene, text).expect("a scene");
    let state = state.display().to_string();
    tty::start_with(name, tty::DESIGN, &format!("--scene {}", scene.display()), &[("XDG_STATE_HOME", &state)])
}

#[test]
fn lost_reports_beyond_the_limit_are_reported_and_drawn() {
    let home = tempfile::tempdir().expect("a directory");
    let tmux = start("far", "2", home.path());
    // The limit is exceeded: it is reported, with where to look.
    wait(&tmux, "of its reports within the last minute");
    tmux.keys(&["R"]).expect("keys");
    let screen = wait(&tmux, " lost (");
    let line = screen.lines().find(|line| line.trim_start().starts_with("last minute: ")).unwrap_or_default();
    let percent: f32 = line
        .split(" lost (")
        .nth(1)
        .and_then(|rest| rest.split(' ').next()?.parse().ok())
        .unwrap_or_else(|| panic!("{line}"));
    assert!((4.0..8.0).contains(&percent), "six of a hundred are lost: {line}");
    assert!(screen.contains("By radio: the link rests between reports"), "the cause is named:\n{screen}");
    tmux.keys(&["P"]).expect("keys");
    let screen = wait(&tmux, "report→pad");
    let line = screen.lines().find(|line| line.contains("report→pad")).unwrap_or_default();
    // A simulated machine takes 40 to 80 µs, which is reported to an eighth.
    let half = line.split("half within ").nth(1).and_then(|rest| rest.split(" µs").next()?.parse::<u32>().ok());
    assert!(half.is_some_and(|half| (40..=90).contains(&half)), "{line}");
    // On paper, with the measurements and the causes.
    tmux.keys(&["R"]).expect("keys");
    wait(&tmux, "last minute:");
    tmux.keys(&["X"]).expect("keys");
    let paper = home.path().join("placid-mantle/paper");
    let pdf = || {
        let all = std::fs::read_dir(&paper).into_iter().flatten().flatten().map(|entry| entry.path());
        all.into_iter().find(|path| path.to_string_lossy().ends_with(".delay.pdf"))
    };
    tmux.wait("the paper", |screen| screen.contains("exported as PDF and SVG") && pdf().is_some()).expect("it is made");
    let read = Command::new("pdftotext").args(["-layout"]).arg(pdf().expect("it is there")).arg("-").output();
    let text = String::from_utf8_lossy(&read.expect("poppler-utils is there").stdout).into_owned();
    for words in ["from report to pad: half within", "between reports of Harbour panel", "were lost", "By radio"] {
        assert!(text.contains(words), "{words}:\n{text}");
    }
}

#[test]
fn nothing_is_reported_below_the_limit() {
    let home = tempfile::tempdir().expect("a directory");
    let tmux = start("near", "50", home.path());
    tmux.keys(&["R"]).expect("keys");
    let enough = |screen: &str| {
        let line = screen.lines().find(|line| line.contains(" lost (")).unwrap_or_default();
        let lost = line.split("; ").nth(1).and_then(|rest| rest.split(' ').next()?.parse::<u32>().ok());
        lost.is_some_and(|lost| lost >= 40)
    };
    let screen = tmux.wait("forty lost reports", enough).unwrap_or_else(|why| panic!("{why}"));
    assert!(screen.contains("Slot 1 plays") && !screen.contains("were lost"), "{screen}");
}
