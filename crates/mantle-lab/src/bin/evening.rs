//! Eight players with two devices each, all at 1000 reports per second, without screens and with three that come, go and stall: what arrives, and
//! what it costs. One command: `cargo run --release -p mantle-lab --bin evening [SECONDS]`; 60 by default, once each way.

use mantle_lab::evening::{DEVICES, RATE, play};
use std::process::ExitCode;
use std::time::Duration;

fn main() -> ExitCode {
    let seconds = std::env::args().nth(1).and_then(|text| text.parse().ok()).unwrap_or(60);
    let mut worst = [0u64; 2];
    let mut fine = true;
    for (screens, worst) in [false, true].into_iter().zip(&mut worst) {
        let seen = play(Duration::from_secs(seconds), screens);
        let lost = seen.sent - seen.arrived;
        println!(
            "{DEVICES} x {RATE}/s for {seconds} s, {} screens: {} edges, {lost} lost, {}",
            seen.screens,
            seen.arrived,
            seen.wrong.as_deref().unwrap_or("all in order")
        );
        println!(
            "  {:.1} % of a core, delay p50 {} us, p99 {} us, {} snapshots",
            seen.share * 100.0,
            seen.delay.0,
            seen.delay.1,
            seen.snapshots
        );
        *worst = seen.delay.1;
        fine &= lost == 0 && seen.wrong.is_none();
    }
    println!("p99 with screens / without: {:.2}", worst[1] as f64 / worst[0].max(1) as f64);
    if fine { ExitCode::SUCCESS } else { ExitCode::FAILURE }
}
