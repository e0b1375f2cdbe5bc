//! Sends busy reports down the road, a given number of times, a thousand per second: for a tool that counts instructions. With `full` as the second
//! argument everybody plays by a full profile.

use mantle_core::time::Micros;
use mantle_lab::road;
use std::hint::black_box;

fn main() {
    let rounds: u64 = std::env::args().nth(1).and_then(|text| text.parse().ok()).unwrap_or(1);
    let reports = road::reports(16_384, false);
    let full = std::env::args().nth(2).is_some_and(|text| text == "full");
    let mut table = if full { road::table_with_a_full_profile() } else { road::table() };
    // Whoever writes the events may take them from where they are, without a copy.
    let mut bytes = 0;
    for round in 0..rounds {
        for (n, report) in reports.iter().enumerate() {
            let now = Micros((round * 16_384 + n as u64) * 1_000);
            let write = |events: &[u8]| bytes += black_box(events).len();
            // A full profile has steps of its own in time.
            if full {
                road::pass_all(&mut table, now, report, write)
            } else {
                road::pass(&mut table, now, report, write)
            }
        }
    }
    println!("{bytes}");
}
