//! The facts from which states and sentences are made.

use super::links::same_by_address;
use super::proposals::{
    HIDES_JUMPS, as_guessed, covering_anew, felt_as, of_ailing, of_press, of_profile, of_shut, taking_out,
    taking_pointer,
};
use super::{Device, PLAIN, Slot, Source, Table};
use crate::binding::{Profile, Target, offered};
use crate::command::Command;
use crate::control::{Control, ControlKind, Place};
use crate::cover::Cover;
use crate::device::{DeviceId, Driver, Identity};
use crate::keys::KeyTarget;
use crate::pad::PadTarget;
use crate::path::{
    Ailing, Lost, MemberFacts, PadCondition, PressFacts, ProfileFacts, Proposal, Shut, SlotFacts, Slotless, Stage,
    TableFacts,
};
use crate::session::Member;
use crate::slot::SlotNumber;
use crate::time::Micros;
use crate::watch::{Ailment, Outcome};
use mantle_hid::usage;
use std::collections::BTreeSet;

/// How many controls of one kind are named; sentences have to end.
const SAID: usize = 3;

impl Slot {
    /// Rules of the profile that no member plays, by line, and why.
    #[must_use]
    pub fn unplayed(&self, profile: &Profile) -> Vec<(u32, String)> {
        let here: Vec<_> = self.session.members.iter().filter(|member| !member.controls().is_empty()).collect();
        let why = |at: usize| {
            let of = |member: &&crate::session::Member| {
                let found = member.bindings.not_found.iter().find(|(rule, _)| usize::from(*rule) == at);
                found.map(|(_, why)| why.clone())
            };
            let all: Option<Vec<String>> = here.iter().map(of).collect();
            all.and_then(|all| all.into_iter().next())
        };
        // One of several ways to play the same thing is no loss while another works.
        let played = |target: Target| here.iter().any(|member| member.bindings.of(target).next().is_some());
        let rules = profile.rules.iter().enumerate().filter(|(_, rule)| !played(rule.target));
        rules.filter_map(|(at, rule)| Some((rule.line, why(at)?))).collect()
    }
}

impl Table {
    /// The state of a slot's pad. Pads are made in the order of slots: whatever blocks an earlier one blocks all later
    /// ones, too.
    fn pad_condition(&self, number: SlotNumber, slot: &Slot) -> PadCondition {
        let earlier = self.slots().take_while(|(other, _)| *other != number);
        let mut faults = earlier.map(|(_, other)| &other.pad).filter(|pad| matches!(pad, PadCondition::Fault(_)));
        match &slot.pad {
            PadCondition::Making => faults.next().unwrap_or(&slot.pad).clone(),
            own => own.clone(),
        }
    }

    /// The facts of one slot; none if it is not in use.
    #[must_use]
    pub fn slot_facts(&self, number: SlotNumber) -> Option<SlotFacts> {
        let (slot, now) = (self.slot(number)?, self.now());
        let session = &slot.session;
        let limits = self.preferences.limits;
        let mut controls = 0;
        let names = |member: &crate::session::Member, at_end: bool| {
            let held = member.held().filter(|control| member.stands_at_end(control) == at_end);
            held.map(|control| (control.name.clone(), control.kind)).take(SAID).collect::<Vec<_>>()
        };
        let profile = self.profile_of(&slot.profile);
        let members = session.members.iter().enumerate().map(|(index, member)| {
            let place = self.part_of(number, index);
            let source = place.and_then(|(_, part)| self.source(part.source));
            let layout = source.and_then(|s| s.layout()).zip(place).and_then(|(l, (_, part))| l.parts.get(part.local));
            let covering = place.is_some_and(|(device, _)| device.cover == crate::cover::Cover::Covering);
            // A device that is away to be covered still counts as itself.
            let away = if covering { member.controls().len() } else { 0 };
            controls += layout.map_or(away, |part| part.controls.len());
            let also = place.and_then(|(device, _)| self.plays_as(device)).filter(|other| *other < number);
            MemberFacts {
                name: member.key.name.clone(),
                present: source.is_some() || covering,
                lent: self.members(number).nth(index).is_some_and(|member| self.is_lent(member)),
                access: source.map(|s| s.access.clone()).unwrap_or_default(),
                fault: source.and_then(|s| s.fault()),
                was_down: names(member, false),
                at_end: names(member, true).into_iter().map(|(name, _)| name).collect(),
                cover: place.map(|(device, _)| device.cover.clone()).unwrap_or_default(),
                listed: place
                    .and_then(|(device, _)| self.seen_of(device.id))
                    .map(|seen| seen.iter().any(|entry| entry.number.is_some())),
                anew: place.and_then(|(device, _)| match (&device.cover, self.stays_bare(device)) {
                    (Cover::Failed(_), _) => Some(covering_anew(device.id)),
                    (_, Some(crate::path::StaysBare::LastMouse)) => Some(taking_pointer(device.id)),
                    _ => None,
                }),
                held_by: place.map(|(device, _)| self.held_by(device.id)).unwrap_or_default(),
                stays_bare: place.and_then(|(device, _)| self.stays_bare(device)),
                shared_triggers: shared_triggers(member),
                plays: !member.bindings.list.is_empty(),
                idle: idle(member),
                ailing: ailing(now, number, slot, member, source),
                coming: source
                    .map(|source| source.watch.troubles(now, limits.delay, limits.lost).collect())
                    .unwrap_or_default(),
                goings: self.goings(&member.key),
                battery: source.and_then(Source::battery),
                receiver_alone: source.filter(|source| receiver_alone(source)).map(receiver_pairs),
                measure: member.held().next().and_then(|_| self.measuring_of(number, index)),
                also,
                out: also.filter(|_| session.members.len() == 1).map(|_| taking_out(number)),
            }
        });
        let members: Vec<MemberFacts> = members.collect();
        let missing = !self.profiles.iter().any(|profile| profile.name == slot.profile);
        let unplayed =
            if missing || members.iter().all(|member| !member.present) { Vec::new() } else { slot.unplayed(&profile) };
        let proposal = if missing { Some(as_guessed(number)) } else { of_profile(number, slot, &profile, &unplayed) };
        let rules = profile.rules.iter().filter(|rule| rule.source.is_some()).count();
        let passed = |stage: Stage| session.passed[stage as usize].count;
        let bound = session.members.iter().fold(0, |all, member| all | member.bound());
        let typed: BTreeSet<KeyTarget> = session
            .members
            .iter()
            .flat_map(|member| &member.bindings.list)
            .filter_map(|binding| binding.target.key().filter(|stroke| stroke.types()))
            .collect();
        Some(SlotFacts {
            number,
            limits,
            members,
            reports: passed(Stage::Reports),
            controls,
            moved: session.members.iter().any(|member| member.moved().is_some()),
            bound,
            bindings_passed: passed(Stage::Bindings),
            feel_passed: passed(Stage::Feel),
            pad: self.pad_condition(number, slot),
            instead: slot.instead.clone(),
            no_file: slot.kind.own().filter(|own| own.missing).map(|own| own.file.clone()),
            kept_out: self.kept_out(number, slot),
            verdict: self.verdict(number).clone(),
            pad_passed: passed(Stage::Pad),
            late: slot.late,
            paused: session.paused(),
            paused_by: slot.paused_by.clone(),
            seen: session.seen.count(bound) + typed.iter().filter(|own| session.seen.done_key(**own)).count() as u32,
            to_try: bound.count_ones() + typed.len() as u32,
            strokes: session
                .members
                .iter()
                .any(|member| member.bindings.list.iter().any(|binding| binding.target.is_key())),
            not_agreed: self.not_agreed(&profile).len(),
            profile: ProfileFacts { name: slot.profile.clone(), missing, rules, unplayed, proposal },
            shut: shut(number, slot, bound),
            press: press(number, slot, &profile),
        })
    }

    /// The command that places a device without a slot: its first part that is a game controller, in the lowest free slot.
    fn placing(&self, device: &Device) -> Option<Proposal> {
        let slot = self.slots.free()?;
        let mut parts = device.parts.iter().filter_map(|part| {
            let layout = self.source(part.source)?.layout()?.parts.get(part.local)?;
            layout.is_game_controller().then(|| (part.number, offered(layout).1))
        });
        let (part, kind) = parts.next()?;
        let words = format!("place it in {slot}");
        Some(Proposal { words, command: Command::Place { device: device.id, part, slot, kind, profile: PLAIN.into() } })
    }

    /// The facts beyond the slots.
    #[must_use]
    pub fn table_facts(&self) -> TableFacts {
        let identity = |device: &Device| self.first_identity(device);
        let slotless = self.devices().filter(|device| {
            !self.seating.plays(device.id)
                && self.waits_for(device.id).is_none()
                && device.parts.iter().any(|part| {
                    let layout = self.source(part.source).and_then(|s| s.layout());
                    layout.and_then(|l| l.parts.get(part.local)).is_some_and(|p| p.is_game_controller())
                })
        });
        let slotless = slotless.map(|device| {
            let driver = device.sources.iter().filter_map(|node| self.source(*node)).find_map(|source| {
                matches!(source.facts.driver, Driver::Named(_)).then(|| source.facts.driver.name().to_owned())
            });
            let out = identity(device).is_some_and(|own| self.seating.kept.is_taken_out(own));
            let on_purpose = device.cover == Cover::LeftToGame || out;
            Slotless { name: device.name.clone(), driver, on_purpose, place: self.placing(device) }
        });
        let silent = self.devices().filter(|device| {
            let mut layouts = device.sources.iter().filter_map(|node| self.source(*node)?.layout());
            !device.sources.is_empty()
                && !self.seating.plays(device.id)
                && layouts.all(|layout| layout.parts.iter().all(|part| part.controls.is_empty()))
        });
        let same_serial = self.devices().find(|device| {
            identity(device).is_some_and(|own| {
                let same = |other: &&Device| {
                    identity(other).is_some_and(|other| other.same_model(own) && other.uniq == own.uniq)
                };
                !own.uniq.is_empty() && self.devices().filter(same).count() > 1
            })
        });
        TableFacts {
            silent: silent.map(|device| device.name.clone()).collect(),
            slotless: slotless.collect(),
            devices: self.devices().count(),
            twin: self
                .seating
                .kept
                .asking
                .first()
                .and_then(|asked| Some((self.device(asked.part.device)?.name.clone(), asked.slot))),
            same_serial: same_serial.map(|device| device.name.clone()),
            paused: self.paused.then(|| self.watching.paused_by.clone().unwrap_or_default()),
            returning: self
                .to_give_back()
                .filter(|(.., held)| *held)
                .map(|(slot, _, owner, borrower, _)| (slot, owner, borrower))
                .collect(),
            locked: self.locked,
            sitting: self.sitting(self.now()),
            front: self.front.clone(),
            pads: self.watching.pads.clone().filter(|_| self.slots().next().is_none()),
            notices: self.notices.iter().chain(self.file_faults.iter().flatten()).cloned().collect(),
        }
    }

    /// A device's identity, from its first node.
    pub(super) fn first_identity(&self, device: &Device) -> Option<&Identity> {
        device.sources.iter().find_map(|node| self.source(*node)).map(|source| &source.facts.identity)
    }

    /// The slot of a device with the same address or serial number on another bus.
    fn plays_as(&self, device: &Device) -> Option<SlotNumber> {
        let own = self.first_identity(device)?;
        let same = |other: &&Device| {
            let other_identity = self.first_identity(other);
            other.id != device.id && other_identity.is_some_and(|other| same_by_address(own.bus, &own.uniq, other))
        };
        self.slot_of(self.devices().find(same)?.id)
    }

    /// The first slot that a device plays in.
    pub(super) fn slot_of(&self, device: DeviceId) -> Option<SlotNumber> {
        SlotNumber::all().find(|slot| {
            (0..self.members(*slot).count())
                .any(|index| self.part_of(*slot, index).is_some_and(|(own, _)| own.id == device))
        })
    }
}

/// What was noticed about a member's controls, as far as it reaches the pad.
fn ailing(now: Micros, number: SlotNumber, slot: &Slot, member: &Member, source: Option<&Source>) -> Vec<Ailing> {
    let (state, feel) = (slot.session.state(), slot.session.feel());
    let of = |control: &Control| {
        let own = member.bindings.list.iter().filter(move |binding| binding.control == control.number);
        own.map(|binding| binding.target).collect::<Vec<_>>()
    };
    let jumps = member.controls().iter().filter_map(|control| match control.place {
        Place::Value(value) => Some((control, Ailment::Jumps(source?.spikes.of(now, value)?))),
        Place::Bit(_) => None,
    });
    member
        .ailments(now)
        .chain(jumps)
        .filter_map(|(control, ailment)| {
            let targets = of(control);
            let lane = targets.iter().find_map(|target| target.lane());
            let shape = lane.map(|lane| feel.of_lane(lane));
            let played = targets.iter().filter_map(|target| target.pad()).any(|target| state.share(target) > 0.0);
            // Noise that the feel covers is no trouble.
            let matters = match &ailment {
                Ailment::Drifts(_) => played && !slot.session.rests(),
                Ailment::Trembles(by) => shape.is_some_and(|shape| *by > shape.dead_zone),
                Ailment::Short(end, _) => shape.is_some_and(|shape| shape.at(*end) < 0.97),
                Ailment::Jumps(_) => {
                    !targets.is_empty()
                        && shape.is_none_or(|shape| shape.smoothing < Micros::millis(HIDES_JUMPS.into()))
                }
                Ailment::Down(..) => targets.iter().any(|target| member.gives(*target) > 0.0),
            };
            let off = match &ailment {
                Ailment::Drifts(off) => Some(off + 0.03),
                Ailment::Trembles(by) => Some(by + 0.02),
                Ailment::Short(..) | Ailment::Down(..) | Ailment::Jumps(_) => None,
            };
            let dead_zone = off.map(|off| (off * 100.0).ceil() / 100.0).filter(|zone| *zone <= 0.5);
            let target = targets.first().map(|target| target.name_on(&slot.model));
            let plays = lane.and_then(|lane| slot.model.lane_name(lane)).or(target).unwrap_or_default().to_owned();
            matters.then(|| {
                let proposal = of_ailing(number, slot, lane, &targets, &ailment, dead_zone);
                Ailing { control: control.name.clone(), plays, ailment, dead_zone, proposal }
            })
        })
        .collect()
}

/// Unused axes, hats and the like. Unused buttons are mentioned when they are pressed, since devices have more buttons than pads.
fn idle(member: &Member) -> Vec<(String, &'static str)> {
    let left = member.bindings.left_out.iter().filter_map(|left| {
        let control = member.controls().iter().find(|control| control.number == left.control)?;
        let counts = matches!(control.kind, ControlKind::Axis | ControlKind::Hat);
        counts.then(|| (control.name.clone(), left.why))
    });
    left.collect()
}

/// An axis shared by both triggers.
fn shared_triggers(member: &Member) -> Option<String> {
    let list = &member.bindings.list;
    let axis_of = |trigger: PadTarget| list.iter().find(|binding| binding.target == trigger && binding.how.is_half());
    let (left, right) = (axis_of(PadTarget::LeftTrigger)?, axis_of(PadTarget::RightTrigger)?);
    let shared = left.control == right.control;
    let control = member.controls().iter().find(|control| control.number == left.control).filter(|_| shared)?;
    (control.kind == ControlKind::Axis).then(|| control.name.clone())
}

/// Whether a device sends reports that stand for no controller: every centred axis is at its lower end,
/// nothing is pressed, and nothing has ever changed.
pub(super) fn receiver_alone(source: &Source) -> bool {
    let Some(layout) = source.layout() else { return false };
    // If its sheet says how to tell, nothing is guessed.
    if let Some(nobody) = layout.extras.nobody_at(&source.frame) {
        return nobody && source.good() > 0;
    }
    let mut sticks = 0;
    let controls = layout.parts.iter().flat_map(|part| &part.controls);
    let empty = controls.clone().all(|control| {
        let raw = control.raw(&source.frame);
        sticks += usize::from(control.kind == ControlKind::Axis && matches!(control.usage, usage::X | usage::Y));
        match control.kind {
            // An axis that counts both ways rests at 0, which a report of zeros says as well.
            ControlKind::Axis => control.min >= 0 && raw <= control.min,
            ControlKind::Button | ControlKind::Key => raw == 0,
            _ => true,
        }
    });
    empty && sticks >= 2 && source.good() >= 20 && source.changed.count <= 1
}

/// How to pair a receiver's controller, by its sheet or in general.
pub(super) fn receiver_pairs(source: &Source) -> String {
    let said = source.sheet.as_ref().and_then(|sheet| sheet.receiver.as_ref()?.pairs.clone());
    said.unwrap_or_else(|| "switch its controller on, or press the receiver's button and then the controller's".into())
}

/// What the feel of a slot blocks of what is bound.
fn shut(number: SlotNumber, slot: &Slot, bound: u128) -> Vec<Shut> {
    let (feel, model) = (slot.session.feel(), &slot.model);
    let mut all: Vec<Shut> = Vec::new();
    for lane in model.axes.iter().map(|axis| axis.lane) {
        let played = model.on_lane(lane).any(|target| bound & target.mask() != 0);
        let shape = feel.of_lane(lane);
        let Some((setting, wholly, back)) = shape.keeps_back().filter(|_| played) else { continue };
        let shaped = felt_as(model, feel, lane);
        let which = shaped.name_on(model);
        if !all.iter().any(|other| other.which == which) {
            let changed = slot.feel_before.of_lane(lane) != shape;
            let proposal = Some(of_shut(number, shaped, model, back));
            all.push(Shut { which, setting, wholly, changed, proposal });
        }
    }
    all
}

/// The last press, if it got lost.
fn press(number: SlotNumber, slot: &Slot, profile: &Profile) -> Option<PressFacts> {
    let last = slot.last_press.as_ref()?;
    let member = slot.session.members.get(last.member)?;
    let lost = match &last.outcome {
        Outcome::Gives(given) if last.shut => {
            let (target, share) = given.iter().copied().max_by(|one, other| one.1.total_cmp(&other.1))?;
            Lost::Shut(target.name_on(&slot.model).to_owned(), share)
        }
        Outcome::Gives(_) | Outcome::Helps | Outcome::Waits => return None,
        other => Lost::Unplayed(other.clone()),
    };
    let proposal = of_press(number, slot, profile, member, &last.control, &last.outcome);
    Some(PressFacts { control: last.control.clone(), device: member.key.name.clone(), lost, proposal })
}
