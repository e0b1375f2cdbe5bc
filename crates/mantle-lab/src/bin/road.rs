//! Sends busy reports down the road, so many times: for a tool that counts instructions.

use mantle_core::time::Micros;
use mantle_lab::road;

fn main() {
    let rounds: u64 = std::env::args().nth(1).and_then(|text| text.parse().ok()).unwrap_or(1);
    let reports = road::reports(16_384, false);
    let mut table = road::table();
    let mut out = [0u8; 512];
    let mut sum = 0;
    for round in 0..rounds {
        for (n, report) in reports.iter().enumerate() {
            sum += road::travel(&mut table, Micros(round * 1_000_000 + n as u64), report, &mut out);
        }
    }
    println!("{sum}");
}
