//! Nothing is allocated on the road.

mod counting;

use counting::counted;
use mantle_core::time::Micros;
use mantle_lab::road;

#[test]
fn the_road_allocates_nothing() {
    let reports = road::reports(4096, false);
    let mut table = road::table();
    let mut out = [0u8; 512];
    let before = counted().times;
    let mut bytes = 0;
    for (n, report) in reports.iter().enumerate() {
        bytes += road::travel(&mut table, Micros(n as u64), report, &mut out);
    }
    let allocated = counted().times - before;
    assert!(bytes > 100_000, "the road was not travelled");
    assert_eq!(allocated, 0);
    let before = counted().times;
    drop(std::hint::black_box(vec![1u8]));
    assert!(counted().times > before, "the counter counts");
}
