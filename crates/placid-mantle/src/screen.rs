//! An engine on its own thread, the screen on this one.

use crate::args::ScreenArgs;
use crate::exit::{Exit, refuse};
use mantle_core::table::Table;
use mantle_engine::{Mailbox, OrderSender, Publisher, World};
use mantle_talk::{Header, Order, Snapshot};
use mantle_tui::{Outcome, Wake};
use std::sync::Arc;
use std::sync::mpsc::{Sender, channel};

/// Runs an engine and the screen until the person leaves.
///
/// `make` makes the world, its table, and the way in for orders; it may wake the screen by itself.
pub fn run<W: World + Send>(
    args: ScreenArgs,
    header: Header,
    make: impl FnOnce(&Sender<Wake>) -> Result<(W, Table, OrderSender), String>,
) -> Exit {
    let look = match mantle_tui::check_terminal(args.ascii) {
        Ok(look) => look,
        Err(unfit) => return refuse(unfit.to_string()),
    };
    let (wakes_in, wakes) = channel();
    let (mut world, mut table, give) = match make(&wakes_in) {
        Ok(made) => made,
        Err(why) => return refuse(why),
    };
    let for_mail = wakes_in.clone();
    let mailbox = Mailbox::new(move || {
        let _ = for_mail.send(Wake::Snapshot);
    });
    let mut publisher = Publisher::new(mailbox.clone(), header);
    let outcome = std::thread::scope(|scope| {
        let at_end = wakes_in.clone();
        let engine = scope.spawn(move || {
            mantle_engine::run(&mut world, &mut table, &mut publisher);
            let _ = at_end.send(Wake::Stop);
        });
        mantle_tui::watch_terminal(wakes_in);
        let newest = || mailbox.take().map(|snapshot| if args.piped { piped(&snapshot) } else { snapshot });
        let outcome = mantle_tui::run(look, &wakes, newest, |order| give.give(order));
        give.give(Order::Stop);
        let engine = engine.join();
        match (outcome, engine) {
            (Ok(outcome), Ok(())) => Ok(outcome),
            (Err(error), _) => Err(format!("the terminal cannot be written to: {error}")),
            (_, Err(_)) => Err("the engine has ended by a fault of its own; everything it held has been let go".into()),
        }
    });
    match outcome {
        Ok(Outcome::Left | Outcome::Stopped) => Exit::Fine,
        Err(why) => {
            eprintln!("placid-mantle: {why}");
            Exit::Failed
        }
    }
}

/// The snapshot as a screen in another process would get it: written out and read back.
fn piped(snapshot: &Snapshot) -> Arc<Snapshot> {
    let text = serde_json::to_string(snapshot).expect("a snapshot is plain values");
    assert!(text.len() <= mantle_talk::SNAPSHOT_BYTES, "the snapshot has {} bytes", text.len());
    Arc::new(serde_json::from_str(&text).expect("what we wrote can be read"))
}
