//! The loop between the table and the world.
//!
//! The crate promises that the same [`Table`](mantle_core::table::Table) runs over Linux, the simulation and a
//! replayed recording by the same few lines, and that nothing slow happens on its thread.
//!
//! Its nouns: a [`World`] reports what happened ([`Happening`]) and carries out effects; an [`Observer`] watches:
//! the screen ([`Publisher`]) or a log; [`orders`] is the screen's way in.
//!
//! ```no_run
//! use mantle_core::table::{Settings, Table};
//! # fn world() -> impl mantle_engine::World { todo!() as mantle_engine::NoWorld }
//! let mut table = Table::new(Settings::default());
//! mantle_engine::run(&mut world(), &mut table, &mut mantle_engine::NoObserver);
//! ```
#![forbid(unsafe_code)]

mod calibration;
mod case;
mod detail;
mod finder;
mod health;
mod histories;
mod history;
mod mailbox;
mod observer;
mod orders;
mod parts;
mod picture;
mod plays;
mod publish;
mod rates;
mod rollcall;
mod rows;
mod screens;
mod shelf;
mod telling;
mod trial;
mod words;
mod world;

pub use detail::slot_detail;
pub use mailbox::Mailbox;
pub use observer::{NoObserver, Observer};
pub use orders::{OrderSender, Orders, orders};
pub use publish::Publisher;
pub use screens::{Comes, SCREENS, Screens};
pub use world::{FilesToRead, Happening, NoWorld, World};

use mantle_core::command::Answer;
use mantle_core::device::NodeId;
use mantle_core::table::{Effect, Table};
use mantle_core::time::Micros;
use mantle_talk::Wish;

/// Runs until the world ends. Events are handled first, then written, then slower work is started.
// Kept out of its caller, whose registers it would share.
#[inline(never)]
pub fn run<W: World>(world: &mut W, table: &mut Table, observer: &mut dyn Observer) {
    settle(Micros::default(), world, table, observer);
    loop {
        let until = earlier(table.deadline(), observer.deadline());
        match world.next(until) {
            Happening::Report { at, node, bytes } => {
                report(table, at, node, bytes);
                observer.handle_report(at, node, bytes);
                write(at, world, table, observer, true);
                // Hardly any report leads to anything but a frame to write.
                if table.is_quiet() && !table.finds_fields() {
                    observer.look(at, table);
                } else {
                    settle(at, world, table, observer);
                }
            }
            Happening::End => return,
            // The files are the world's.
            Happening::Order(at, order) if matches!(order.wish, Wish::Case(_)) => {
                let (number, keyboards, files) = (order.number, order.wish == Wish::Case(true), world.files());
                let done = observer.handle_case(at, number.asker(), keyboards, table, files);
                observer.handle_answer(number, done.map_or_else(|why| Answer::Refused { why }, |()| Answer::PLAIN));
                settle(at, world, table, observer);
            }
            happening => {
                let rests = matches!(happening, Happening::Time(_));
                let now = happening.tell(table, observer);
                settle(now, world, table, observer);
                if rests {
                    observer.work(now, table);
                }
            }
        }
    }
}

/// Passes a report to the table. A function of its own, since inlined it would share registers with the rest of the loop.
#[inline(never)]
fn report(table: &mut Table, at: Micros, node: NodeId, bytes: &[u8]) {
    table.handle_report(at, node, bytes);
}

/// The earlier of two moments, if there is any.
#[inline]
fn earlier(one: Option<Micros>, other: Option<Micros>) -> Option<Micros> {
    match (one, other) {
        (Some(one), Some(other)) => Some(one.min(other)),
        (one, other) => one.or(other),
    }
}

/// Writes what pads have to be told, and measures the delay of reports.
#[inline]
fn write<W: World>(now: Micros, world: &mut W, table: &mut Table, observer: &mut dyn Observer, measured: bool) {
    while let Some((slot, earlier, events)) = table.poll_write() {
        let at = earlier.unwrap_or(now);
        observer.handle_frame(at, slot, events);
        match world.write(slot, events) {
            Ok(()) => {
                table.handle_written(at, slot);
                if measured && let Some(done) = world.clock() {
                    table.handle_delay(slot, done.since(now));
                }
            }
            Err(fault) => {
                observer.handle_pad_lost(at, slot, &fault);
                table.handle_pad_lost(at, slot, fault);
            }
        }
    }
}

/// Takes everything that the last event left in the table; reports rarely leave anything.
#[cold]
#[inline(never)]
fn settle<W: World>(now: Micros, world: &mut W, table: &mut Table, observer: &mut dyn Observer) {
    write(now, world, table, observer, false);
    table.handle_watched(now, observer.is_watched());
    table.handle_readiness_watched(now, observer.looks_at_readiness());
    table.handle_radio_watched(observer.looks_for_devices());
    while let Some(sheet) = observer.poll_sheet() {
        table.handle_sheet(now, sheet);
    }
    if observer.poll_found() {
        table.handle_finding(now, None);
    }
    while let Some(effect) = table.poll_effect() {
        match &effect {
            Effect::Type { slot, at, typed } => observer.handle_typed(*at, *slot, typed),
            Effect::Remember(remembered) => observer.handle_remembered(now, remembered),
            _ => {}
        }
        world.start(effect);
    }
    while let Some(note) = table.poll_note() {
        observer.handle_note(note);
    }
    while let Some((number, answer)) = table.poll_answer() {
        observer.handle_answer(number, answer);
    }
    observer.look(now, table);
}
