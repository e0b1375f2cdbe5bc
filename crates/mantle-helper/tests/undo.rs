//! Whatever ends hiding, at whatever step: afterwards everything is as it was before.

mod fake;

use fake::{Fake, Fate, Killed, Mutant};
use mantle_helper::hider::{Hider, recover};
use mantle_helper::rights::Rights;
use std::panic::{AssertUnwindSafe, catch_unwind};

/// What a process does that hides devices and gives them back: together, a second one, one alone again, one hidden twice, and all.
fn hides(fake: &Fake) {
    let mut hider = Hider::new(fake.clone(), Fake::paths());
    let ended = catch_unwind(AssertUnwindSafe(|| {
        let _ = hider.hide(0, &[1, 2]);
        let _ = hider.hide(0, &[3]);
        let _ = hider.hide(0, &[3]);
        let _ = hider.show(0, 3);
        let _ = hider.hide(0, &[4]);
        let _ = hider.release(0);
    }));
    if let Err(why) = ended {
        assert!(why.is::<Killed>(), "it panicked by itself");
    }
    // A killed process does nothing more.
    std::mem::forget(hider);
}

/// The next start; whether it was killed too.
fn next_start(fake: &Fake, fate: Option<(usize, Fate)>) -> bool {
    let mut machine = fake.for_another();
    machine.world.borrow_mut().fate = fate;
    match catch_unwind(AssertUnwindSafe(|| recover(&mut machine, &Fake::paths()))) {
        Ok(done) => {
            assert!(fate.is_some() || done.is_ok(), "{done:?}");
            false
        }
        Err(why) => {
            assert!(why.is::<Killed>(), "it panicked by itself");
            true
        }
    }
}

/// A machine on which that happens at that act, and its earlier state; none if the process has ended without it.
fn ended(at: usize, fate: Fate, mutant: Option<Mutant>) -> Option<(tempfile::TempDir, Fake, String)> {
    let root = tempfile::tempdir().expect("a directory");
    let fake = Fake::new(&std::fs::canonicalize(root.path()).expect("there"));
    let before = fake.state();
    {
        let mut world = fake.world.borrow_mut();
        (world.fate, world.mutant, world.acts) = (Some((at, fate)), mutant, 0);
    }
    hides(&fake);
    let acts = fake.world.borrow().acts;
    (acts > at).then_some((root, fake, before))
}

fn quietly() {
    std::panic::set_hook(Box::new(|info| {
        if !info.payload().is::<Killed>() {
            eprintln!("{info}");
        }
    }));
}

/// At each act, in each way; and again while the next start undoes it.
#[test]
fn the_machine_is_restored_however_the_guard_ends() {
    quietly();
    let fates = [
        Fate::KilledBefore,
        Fate::KilledAfter,
        Fate::Refused(28),
        Fate::Refused(5),
        Fate::Refused(16),
        Fate::DoneAndRefused(5),
    ];
    let mut points = 0;
    for fate in fates {
        for at in 0.. {
            let Some((_root, fake, before)) = ended(at, fate, None) else {
                assert!(at > 40, "only {at} acts");
                break;
            };
            let as_it_was = fake.state() == before;
            // What could not be undone is written down, and nothing else is.
            assert!(
                as_it_was || fake.has_ledger() || fake.state().contains("71.rules"),
                "{fate:?} at {at}: {}",
                fake.state()
            );
            next_start(&fake, None);
            assert_eq!(fake.state(), before, "{fate:?} at {at}");
            points += 1;
        }
    }
    // The next start is killed as well, at each of its acts; the one after it succeeds.
    for at in (0..).step_by(5) {
        if ended(at, Fate::KilledAfter, None).is_none() {
            break;
        }
        for second in 0.. {
            let (_root, fake, before) = ended(at, Fate::KilledAfter, None).expect("as above");
            let killed = next_start(&fake, Some((second, Fate::KilledAfter)));
            next_start(&fake, None);
            assert_eq!(fake.state(), before, "killed at {at}, and at {second} of the next start");
            points += 1;
            if !killed {
                break;
            }
        }
    }
    println!("{points} points");
    assert!(points >= 200, "{points} points");
}

/// The power fails at any act: nothing of ours is left, and a ledger that survived it would count for nothing.
#[test]
fn a_power_cut_leaves_nothing_to_undo() {
    quietly();
    for at in 0.. {
        let Some((_root, fake, _)) = ended(at, Fate::PowerCut, None) else { break };
        assert!(!fake.has_ledger());
        let state = fake.state();
        next_start(&fake, None);
        assert_eq!(fake.state(), state, "nothing is touched after a new start of the machine");
    }
}

/// Each of these mistakes is found by the same proof: at some act, not everything is as before.
#[test]
fn planted_faults_are_caught() {
    quietly();
    for mutant in [Mutant::LedgerLate, Mutant::EntryDropped] {
        let found = (0..).map_while(|at| ended(at, Fate::KilledAfter, Some(mutant))).any(|(_root, fake, before)| {
            fake.world.borrow_mut().mutant = None;
            let left = catch_unwind(AssertUnwindSafe(|| next_start(&fake, None)));
            left.is_err() || fake.state() != before
        });
        assert!(found, "{mutant:?} was not found");
    }
}

/// A node that somebody has put in place of the device's own is not touched.
#[test]
fn a_node_that_is_not_the_kernels_is_not_touched() {
    quietly();
    let after = |mutant: Option<Mutant>| {
        // Killed with both covered, before anything is given back.
        let at = (0..).find(|at| {
            let (_root, fake, _) = ended(*at, Fate::KilledAfter, None).expect("so many acts");
            fake.state().matches("(\"0\"").count() == 8
        });
        let (_root, fake, _) = ended(at.expect("it is found"), Fate::KilledAfter, None).expect("as before");
        // An inode's number is reused, so a device's number decides.
        let inode = fake.world.borrow().nodes["/dev/input/event10"].inode;
        fake.lays("/dev/input/event10", &Rights { mode: 0o640, uid: 5, gid: 5, acl: None, rdev: 0x0103, inode });
        fake.world.borrow_mut().mutant = mutant;
        let _ = recover(&mut fake.for_another(), &Fake::paths());
        let now = fake.world.borrow().nodes["/dev/input/event10"].clone();
        (now.mode, now.uid, now.gid)
    };
    // udev itself goes by the names of nodes, and gives input nodes to their group.
    let by_udev = (0o660, 5, 101);
    assert_eq!(after(None), by_udev);
    assert_ne!(after(Some(Mutant::NumberNotCompared)), by_udev, "the proof would find it");
}

/// Hidden by a process that was killed, a device is taken over by the next one; its driver is not unbound again.
#[test]
fn an_already_hidden_device_is_taken_over() {
    quietly();
    let root = tempfile::tempdir().expect("a directory");
    let fake = Fake::new(&std::fs::canonicalize(root.path()).expect("there"));
    assert_eq!(fake.devices(), 4);
    let before = fake.state();
    let mut first = Hider::new(fake.clone(), Fake::paths());
    first.hide(0, &[1, 2]).expect("hidden");
    first.hide(0, &[3]).expect("hidden");
    std::mem::forget(first);
    let covered = fake.state();
    let inodes = |fake: &Fake| fake.world.borrow().nodes.values().map(|rights| rights.inode).collect::<Vec<_>>();
    let nodes = inodes(&fake);
    let mut second = Hider::new(fake.for_another(), Fake::paths());
    second.hide(0, &[1, 2]).expect("taken over");
    second.hide(0, &[3]).expect("taken over");
    assert_eq!((fake.state(), inodes(&fake)), (covered, nodes), "nothing is bound again");
    second.release(0).expect("given back");
    assert_eq!(fake.state(), before);
}

/// Of several that have hidden something, each gives back its own.
#[test]
fn one_guard_does_not_restore_what_another_hid() {
    quietly();
    let root = tempfile::tempdir().expect("a directory");
    let fake = Fake::new(&std::fs::canonicalize(root.path()).expect("there"));
    let before = fake.state();
    let mut hider = Hider::new(fake.clone(), Fake::paths());
    hider.hide(1, &[1, 2]).expect("hidden");
    let one = fake.state();
    hider.hide(2, &[3]).expect("hidden");
    hider.show(1, 3).expect("nothing to do");
    hider.release(2).expect("given back");
    assert_eq!((fake.state(), hider.count(1), hider.count(2)), (one.clone(), 1, 0));
    // If another one asks for what is already hidden, it belongs to that one: the first one's end does not show it.
    hider.hide(3, &[1, 2]).expect("hidden");
    hider.release(1).expect("given back");
    assert_eq!((fake.state(), hider.count(1), hider.count(3)), (one, 0, 1));
    hider.release(3).expect("given back");
    assert_eq!(fake.state(), before);
}

/// An engine that is killed gives nothing back by itself. The guard does, at once; if none was started, what was hidden stays so until the next
/// start, and that is noticed.
#[test]
fn a_guard_that_was_not_started_is_missed() {
    quietly();
    let killed = |guarded: bool| {
        let root = tempfile::tempdir().expect("a directory");
        let fake = Fake::new(&std::fs::canonicalize(root.path()).expect("there"));
        let before = fake.state();
        let mut hider = Hider::new(fake.clone(), Fake::paths());
        hider.hide(7, &[1, 2]).expect("hidden");
        hider.hide(7, &[3]).expect("hidden");
        assert_ne!(fake.state(), before);
        // It is killed: a guard sees its connection end, and a hider in its own process is gone with it.
        match guarded {
            true => hider.release(7).expect("given back"),
            false => std::mem::forget(hider),
        }
        let at_once = fake.state() == before;
        next_start(&fake, None);
        (at_once, fake.state() == before)
    };
    assert_eq!((killed(true), killed(false)), ((true, true), (false, true)));
}
