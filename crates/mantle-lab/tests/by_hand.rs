//! What the benches compare the road with gives the same events, report by report.

use mantle_core::time::Micros;
use mantle_lab::road::{self, ByHand};

#[test]
fn the_road_and_a_hand_written_translator_agree() {
    let (mut table, mut hand) = (road::table(), ByHand::default());
    let (mut ours, mut theirs) = ([0u8; 512], [0u8; 512]);
    let mut bytes = 0;
    for (n, report) in road::reports(8192, false).iter().enumerate() {
        let a = road::travel(&mut table, Micros(n as u64 * 1_000), report, &mut ours);
        let b = hand.travel(report, &mut theirs);
        assert_eq!(ours[..a], theirs[..b], "report {n}");
        bytes += a;
    }
    assert!(bytes > 100_000, "{bytes} bytes are too few to prove anything");
}
