//! What happened is passed to the table, and to whoever watches.

use crate::observer::Observer;
use crate::world::Happening;
use mantle_core::command::{Answer, CommandNumber};
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_talk::{FindOrder, Order, Wish};

impl Happening<'_> {
    /// Passes it to the table or the observer, and returns the stamp. Reports take a shorter way.
    #[inline(never)]
    pub(crate) fn tell(self, table: &mut Table, observer: &mut dyn Observer) -> Micros {
        observer.handle_happening(&self, table);
        match self {
            Self::Report { at, node, bytes } => {
                crate::report(table, at, node, bytes);
                observer.handle_report(at, node, bytes);
                at
            }
            Self::Time(at) => {
                table.handle_time(at);
                at
            }
            Self::Arrived(at, facts) => {
                table.handle_arrived(at, *facts);
                at
            }
            Self::Changed(at, node) => {
                table.handle_changed(at, node);
                at
            }
            Self::Inputs(at, node, inputs, driven) => {
                table.handle_inputs(at, node, inputs, *driven);
                at
            }
            Self::Power(at, node, power) => {
                table.handle_power(at, node, power);
                at
            }
            Self::Overrun(at, node) => {
                table.handle_overrun(at, node);
                at
            }
            Self::Gone(at, node) => {
                table.handle_gone(at, node);
                at
            }
            Self::Opened(at, node, result) => {
                table.handle_opened(at, node, result);
                at
            }
            Self::Sent(at, node, request, purpose, result) => {
                table.handle_sent(at, node, request, purpose, result);
                at
            }
            Self::Pad(at, slot, result) => {
                table.handle_pad(at, slot, result);
                at
            }
            Self::Keys(at, slot, result) => {
                table.handle_keys(at, slot, result);
                at
            }
            Self::Rumble(at, slot, strong, weak, until) => {
                table.handle_rumble(at, slot, strong, weak, until);
                at
            }
            Self::Looked(at, look) => {
                table.handle_look(at, *look);
                at
            }
            Self::Ready(at, facts) => {
                table.handle_ready(at, *facts);
                at
            }
            Self::Radio(at, news) => {
                table.handle_radio(at, *news);
                at
            }
            Self::Lamp(at, slot, lamp) => {
                table.handle_lamp(at, slot, lamp);
                at
            }
            Self::Asked(at, node, result) => {
                table.handle_asked(at, node, &result);
                at
            }
            Self::CoverAgain(at, device) => {
                table.handle_cover_again(at, device);
                at
            }
            Self::Front(at, front) => {
                table.handle_front(at, front);
                at
            }
            Self::Covered(at, device, result) => {
                table.handle_cover(at, device, result);
                at
            }
            Self::Order(at, order) => {
                let Order { number, wish } = *order;
                match handle_wish(at, number, wish, table, observer) {
                    Some(Ok(())) => observer.handle_answer(number, Answer::PLAIN),
                    Some(Err(why)) => observer.handle_answer(number, Answer::Refused { why }),
                    None => {}
                }
                at
            }
            Self::Answer(at, number, answer) => {
                observer.handle_answer(number, *answer);
                at
            }
            Self::Sheets(at, sheets, faults) => {
                table.handle_sheets(at, sheets, faults);
                at
            }
            Self::OwnPads(at, pads, faults) => {
                table.handle_own_pads(at, pads, faults);
                at
            }
            Self::Profiles(at, profiles, faults) => {
                table.handle_profiles(at, profiles, faults);
                at
            }
            Self::Rules(at, read) => {
                table.handle_rules(at, read);
                at
            }
            Self::Running(at, round, running) => {
                table.handle_running(at, round, running);
                at
            }
            Self::Rule(at, number, result) => {
                table.handle_rule(at, number, *result);
                at
            }
            Self::Settings(at, read) => {
                table.handle_preferences(at, *read);
                at
            }
            Self::Sleep(at, asleep) => {
                table.handle_sleep(at, asleep);
                at
            }
            Self::Priority(at, priority) => {
                table.handle_priority(at, &priority);
                at
            }
            Self::Probed(at, found) => {
                table.handle_probe(at, found);
                at
            }
            Self::Profile(at, number, result) => {
                table.handle_profile(at, number, result.map(|profile| *profile));
                at
            }
            Self::Note(note) => {
                let at = note.at;
                observer.handle_warning(note);
                at
            }
            Self::Recalled(note) => {
                let at = note.at;
                observer.handle_note(note);
                at
            }
            Self::End => Micros::default(),
        }
    }
}

/// Carries out an order; none if the table answers.
fn handle_wish(
    at: Micros,
    number: CommandNumber,
    wish: Wish,
    table: &mut Table,
    observer: &mut dyn Observer,
) -> Option<Result<(), String>> {
    Some(match wish {
        Wish::Command(command) => {
            table.handle_command(at, number, command);
            return None;
        }
        Wish::Watch(watch) => {
            observer.handle_watch(number.asker(), watch);
            Ok(())
        }
        Wish::Find(order) => {
            if let FindOrder::Begin(node) = order {
                table.handle_finding(at, Some(node));
            }
            observer.handle_find(at, order)
        }
        Wish::Record(node, on) => {
            if on {
                table.handle_looking(at, node);
            }
            observer.handle_record(at, table.source(node), on)
        }
        Wish::History(request) => {
            observer.handle_history(number.asker(), &request);
            Ok(())
        }
        Wish::Case(_) => Err("a case can only be made while a screen or the service runs".into()),
        Wish::Hand { .. } => Err("only simulated devices can be taken in hand".into()),
        Wish::Playback(_) => Err("only recordings can be opened, paused, stepped and closed here".into()),
        Wish::Paper(_) => Err("exports are made by the screen".into()),
        Wish::Sleep(asleep) => {
            table.handle_sleep(at, asleep);
            Ok(())
        }
        Wish::Stop => Ok(()),
    })
}
