//! Eight players with two devices each, all at 1000 reports per second, lose no edge, whoever watches. How fast that is, and what it costs, is
//! measured by the program `evening`, and asserted nowhere.

use mantle_lab::evening::play;
use std::time::Duration;

#[test]
fn no_edge_is_lost_while_screens_come_go_and_stall() {
    let long = std::env::var_os("MANTLE_LAYOUTS").is_some();
    let seen = play(Duration::from_secs(if long { 60 } else { 5 }), true);
    println!("{seen:?}");
    assert_eq!(seen.wrong, None);
    assert_eq!(seen.arrived, seen.sent);
    assert!(seen.moves > seen.sent / 16, "the second devices play as well: {seen:?}");
    assert!(seen.screens >= 5 && seen.snapshots > 0, "{seen:?}");
}
