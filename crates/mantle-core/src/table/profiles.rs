//! Profiles that change while the program runs.

use super::{Effect, PLAIN, Profile, Slot, Table, said};
use crate::binding::{Change, LAYERS, NewFrom, ProfileAct, ProfileStoreAct, TEMPLATES, Target, free_name};
use crate::command::{Command, CommandNumber, OWN};
use crate::control::PartLayout;
use crate::device::NodeId;
use crate::feel::{Feel, Setting};
use crate::pad::PadModel;
use crate::path::{Mark, Stage};
use crate::slot::SlotNumber;
use crate::time::Micros;
use std::sync::Arc;

/// A change of a profile being saved.
#[derive(Clone, Debug)]
pub(super) struct Editing {
    number: CommandNumber,
    /// The slot that shall use the result; none if it is about a profile, whoever uses it.
    slot: Option<SlotNumber>,
    /// Its inverse, if already known.
    inverse: Option<Command>,
    /// What happens to the profile, unless it is changed or created.
    goes: Option<Goes>,
    /// The name of a profile being made, which nobody else may take meanwhile.
    makes: Option<String>,
    /// What will have been done, in words.
    said: String,
}

/// An act on a profile's file other than a change.
#[derive(Clone, PartialEq, Eq, Debug)]
enum Goes {
    /// Deleted: its name, and its file.
    Away(String, String),
    /// A new one; its inverse deletes it.
    In,
    /// Exported.
    Out,
}

impl Editing {
    /// Whether it is about this slot's profile.
    pub(super) fn is_of(&self, slot: SlotNumber) -> bool {
        self.slot == Some(slot)
    }
}

impl Table {
    pub(super) fn profiles_read(&mut self, now: Micros, profiles: Vec<Arc<Profile>>, kept: bool) {
        let before = std::mem::replace(&mut self.profiles, profiles);
        let missing = |old: &&Arc<Profile>| kept && !old.origin.is_empty();
        for old in before.iter().filter(missing) {
            if !self.profiles.iter().any(|one| one.name == old.name || one.origin == old.origin) {
                self.profiles.push(old.clone());
            }
        }
        if !self.profiles.iter().any(|profile| profile.name == PLAIN) {
            self.profiles.insert(0, Arc::new(Profile::plain(PLAIN, Feel::default())));
        }
        // If a file changes its profile's name, its users follow.
        let renamed = |old: &str| {
            let file = &before.iter().find(|one| one.name == old && !one.origin.is_empty())?.origin;
            let gone = !self.profiles.iter().any(|one| one.name == old);
            self.profiles.iter().find(|one| gone && one.origin == *file).map(|one| one.name.clone())
        };
        let names: Vec<_> =
            self.slots.iter().filter_map(|(number, slot)| Some((number, renamed(&slot.profile)?))).collect();
        for (number, name) in names {
            if let Some(slot) = self.slots.get_mut(number) {
                slot.profile = name;
            }
        }
        let said = |profiles: &[Arc<Profile>], name: &str| profiles.iter().find(|one| one.name == name).cloned();
        let changed = |slot: &Slot| said(&before, &slot.profile) != said(&self.profiles, &slot.profile);
        let slots: Vec<_> = self.slots().filter(|(_, slot)| changed(slot)).map(|(number, _)| number).collect();
        for number in slots {
            self.bind_slot(now, number);
        }
    }

    /// Gives a slot the present version of its profile; what the old one held is released. If only its feel or its words
    /// have changed, nothing is.
    pub(super) fn bind_slot(&mut self, now: Micros, number: SlotNumber) {
        let Some(slot) = self.slot(number) else { return };
        let profile = self.profile_of(&slot.profile);
        if !slot.bound.as_ref().is_some_and(|bound| bound.plays_like(&profile)) {
            self.bind_members(now, number);
        }
        let Some(slot) = self.slots.get_mut(number) else { return };
        let another = slot.bound.as_ref().is_none_or(|bound| bound.name != profile.name);
        if another || slot.session.passed()[Stage::Reports as usize].count == 0 {
            slot.feel_before = profile.feel;
        }
        if slot.bound.as_ref().is_none_or(|bound| **bound != *profile) {
            // A press that got lost by the old bindings says nothing about the new ones.
            slot.last_press = None;
        }
        slot.bound = Some(profile.clone());
        if *slot.session.feel() != profile.feel && !slot.tuning.flipped {
            slot.tuning.change(now, &slot.session.feel().clone());
        }
        slot.tuning.flipped = false;
        slot.session.set_feel(now, profile.feel);
    }

    /// Gives all users of a profile its present version.
    fn bind_players(&mut self, now: Micros, name: &str) {
        let slots: Vec<_> = self.slots().filter(|(_, slot)| slot.profile == name).map(|(number, _)| number).collect();
        slots.into_iter().for_each(|number| self.bind_slot(now, number));
    }

    /// Binds all members of a slot anew; what they held is released.
    pub(super) fn bind_members(&mut self, now: Micros, number: SlotNumber) {
        let Some(slot) = self.slot(number) else { return };
        let profile = self.profile_of(&slot.profile);
        let parts = (0..slot.session.members.len()).filter_map(|index| {
            let (device, part) = self.part_of(number, index)?;
            Some((index, part.source, self.calibrated_part(device.id, part.number)?))
        });
        let parts: Vec<_> = parts.collect();
        for (index, node, layout) in parts {
            self.bind_member(number, index, node, &layout, &profile);
        }
        let Some(slot) = self.slots.get_mut(number) else { return };
        let feel = *slot.session.feel();
        slot.session.set_feel(now, feel);
    }

    /// Shares the default bindings among a slot's devices anew; members whose bindings stay the same are not disturbed.
    pub(super) fn share_out(&mut self, number: SlotNumber) {
        let members = self.slot(number).map_or(0, |slot| slot.session.members.len());
        for index in 0..members {
            let Some(slot) = self.slot(number) else { return };
            let (profile, model, beside) =
                (self.profile_of(&slot.profile), slot.model.clone(), slot.session.beside(index));
            let Some((device, part)) = self.part_of(number, index) else { continue };
            let (node, device, part) = (part.source, device.id, part.number);
            let Some(layout) = self.calibrated_part(device, part) else { continue };
            let own = &slot.session.members[index];
            if own.bindings.list.is_empty()
                || own.bindings == crate::binding::resolve(&profile, &layout, &model, beside)
            {
                continue;
            }
            self.bind_member(number, index, node, &layout, &profile);
        }
    }

    /// Binds a member anew: what it held is released, and what is still held plays by the new bindings with the next report.
    fn bind_member(&mut self, number: SlotNumber, index: usize, node: NodeId, layout: &PartLayout, profile: &Profile) {
        let Some(slot) = self.slots.get_mut(number) else { return };
        let (model, beside) = (slot.model.clone(), slot.session.beside(index));
        slot.session.members[index].bind(layout, profile, &model, beside);
        slot.session.members[index].release();
        if let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) {
            source.fresh = true;
        }
    }

    /// Changes a slot's profile; answered once it is saved.
    pub(super) fn edit(&mut self, number: CommandNumber, slot: SlotNumber, act: ProfileAct) -> Result<(), String> {
        // A profile is being made for an earlier change: this one goes into it.
        if self.editing.iter().any(|editing| editing.is_of(slot) && editing.makes.is_some()) {
            self.edits.push((number, slot, act));
            return Ok(());
        }
        let Some(entry) = self.slot(slot) else { return Err(format!("{slot} is empty")) };
        let (profile, model) = (self.profile_of(&entry.profile), entry.model.clone());
        let again = act == ProfileAct::Back;
        if profile.origin.is_empty() && !matches!(act, ProfileAct::Change(_) | ProfileAct::Amend(_)) {
            return Err(format!("the profile {} has not been changed", profile.name));
        }
        if let ProfileAct::Change(changes) | ProfileAct::Amend(changes) = &act {
            self.check(changes, &profile)?;
        }
        // A profile without a file belongs to everybody, so a new one is made from it, named after the player.
        let name = match profile.origin.is_empty() {
            true if profile.name == PLAIN => {
                let who = entry.session.members.first().map_or("profile", |member| member.key.name.as_str());
                self.free_name(who)
            }
            _ => profile.name.clone(),
        };
        let origin = profile.origin.clone();
        // What people bind themselves they have allowed.
        if let ProfileAct::Change(changes) | ProfileAct::Amend(changes) = &act {
            let own = changes.iter().filter_map(|change| match change {
                Change::Source { target: Target::Key(stroke), source: Some(_), .. } => Some(*stroke),
                _ => None,
            });
            let own: Vec<_> = own.collect();
            if !own.is_empty() {
                self.agree(&name, &own);
            }
        }
        // An amendment is undone together with the change it amends.
        let amends = matches!(act, ProfileAct::Amend(_));
        let inverse = (!amends).then_some(Command::TakeBack { slot, again });
        let makes = origin.is_empty().then(|| name.clone());
        let said = match &act {
            ProfileAct::Change(changes) | ProfileAct::Amend(changes) => {
                let what = said::changes(changes, &model);
                let made = if makes.is_some() { ", a new profile of its own" } else { "" };
                format!("{what}, in {name}{made}")
            }
            ProfileAct::Back => format!("the last change to {name} is undone"),
            _ => format!("the change to {name} is redone"),
        };
        self.editing.push(Editing { number, slot: Some(slot), inverse, goes: None, makes, said });
        self.effects.push_back(Effect::Profile { number, name, origin, act });
        Ok(())
    }

    /// Acts on profiles; answered once it is done.
    pub(super) fn shelve(&mut self, number: CommandNumber, act: ProfileStoreAct) -> Result<(), String> {
        let file_of = |table: &Self, name: &str| {
            let found = table.profiles.iter().find(|profile| profile.name == name);
            match found.map(|profile| profile.origin.clone()) {
                None => Err(format!("there is no profile named {name}")),
                Some(origin) if origin.is_empty() => Err(format!("{name} has no file")),
                Some(origin) => Ok(origin),
            }
        };
        let mut inverse = None;
        let (name, origin, act, goes) = match act {
            ProfileStoreAct::Delete(name) => {
                let origin = file_of(self, &name)?;
                (name.clone(), origin.clone(), ProfileAct::Delete, Some(Goes::Away(name, origin)))
            }
            ProfileStoreAct::BringBack { trashed, origin } => {
                (String::new(), origin, ProfileAct::BringBack(trashed), Some(Goes::In))
            }
            ProfileStoreAct::TakeIn(path) => (String::new(), String::new(), ProfileAct::TakeIn(path), Some(Goes::In)),
            ProfileStoreAct::HandOut { name, to } => {
                (name.clone(), file_of(self, &name)?, ProfileAct::HandOut(to), Some(Goes::Out))
            }
            ProfileStoreAct::Rename { from, to } => {
                let origin = file_of(self, &from)?;
                let changes = vec![Change::Name(to.clone())];
                self.check(&changes, &self.profile_of(&from))?;
                inverse = Some(Command::ProfileStore(ProfileStoreAct::Rename { from: to, to: from.clone() }));
                (from, origin, ProfileAct::Change(changes), None)
            }
            ProfileStoreAct::Copy(name) => {
                let from = NewFrom::File(file_of(self, &name)?);
                (self.free_name(&format!("{name} copy")), String::new(), ProfileAct::New(from), Some(Goes::In))
            }
        };
        let makes = matches!(act, ProfileAct::New(_)).then(|| name.clone());
        let said = match &act {
            ProfileAct::Change(changes) => said::changes(changes, &PadModel::default()),
            _ => String::new(),
        };
        self.editing.push(Editing { number, slot: None, inverse, goes, makes, said });
        self.effects.push_back(Effect::Profile { number, name, origin, act });
        Ok(())
    }

    /// A profile was deleted: its users get the default bindings, and the profile again if it is restored.
    fn throw_away(&mut self, now: Micros, name: &str, origin: &str) {
        self.profiles.retain(|profile| profile.origin != origin);
        self.note(now, Mark::Well, format!("{name} has been deleted"));
        self.bind_players(now, name);
    }

    /// Chooses a slot's profile.
    pub(super) fn play_by(&mut self, now: Micros, number: SlotNumber, name: &str) -> Result<Option<Command>, String> {
        if !self.profiles.iter().any(|profile| profile.name == name) {
            return Err(format!("there is no profile named {name}"));
        }
        let Some(slot) = self.slots.get_mut(number) else { return Err(format!("{number} is empty")) };
        let before = std::mem::replace(&mut slot.profile, name.to_owned());
        self.bind_slot(now, number);
        Ok(Some(Command::PlayBy { slot: number, profile: before }))
    }

    /// Makes a new profile for a slot, by purpose or as a copy; answered once it is saved.
    pub(super) fn new_profile(
        &mut self,
        number: CommandNumber,
        slot: SlotNumber,
        like: Option<String>,
    ) -> Result<(), String> {
        let Some(entry) = self.slot(slot) else { return Err(format!("{slot} is empty")) };
        let own = self.profile_of(&entry.profile);
        let inverse = Some(Command::PlayBy { slot, profile: entry.profile.clone() });
        let who = entry.session.members.first().map_or("profile", |member| member.key.name.as_str());
        let (wanted, from) = match like {
            Some(like) => {
                if !TEMPLATES.iter().any(|one| one.name == like) {
                    return Err(format!("there is no template named {like}"));
                }
                (like.clone(), NewFrom::Template(like))
            }
            None if own.origin.is_empty() => (who.to_owned(), NewFrom::Template(PLAIN.into())),
            None => (format!("{} copy", own.name), NewFrom::File(own.origin.clone())),
        };
        let name = self.free_name(&wanted);
        let makes = Some(name.clone());
        let said = format!("{slot} plays by {name}, a new profile");
        self.editing.push(Editing { number, slot: Some(slot), inverse, goes: None, makes, said });
        let (origin, act) = (String::new(), ProfileAct::New(from));
        self.effects.push_back(Effect::Profile { number, name, origin, act });
        Ok(())
    }

    /// Whether the change that a command asked for is still being saved.
    pub(super) fn is_editing(&self, number: CommandNumber) -> bool {
        self.editing.iter().any(|editing| editing.number == number) || self.edits.iter().any(|(own, ..)| *own == number)
    }

    fn check(&self, changes: &[Change], profile: &Profile) -> Result<(), String> {
        for change in changes {
            match change {
                Change::Source { layer, .. } if !layer.is_empty() && !has_layer(profile, changes, layer) => {
                    return Err(format!("the profile {} has no layer named {layer}", profile.name));
                }
                Change::Option { target, layer, .. } | Change::With { target, layer, .. } => {
                    let own = profile.rules.iter().any(|rule| {
                        let of = profile.layer(rule.layer);
                        rule.target == *target
                            && rule.source.is_some()
                            && of.map_or("", |layer| layer.name.as_str()) == layer
                    });
                    let named = changes.iter().any(
                        |other| matches!(other, Change::Source { target: of, source: Some(_), .. } if of == target),
                    );
                    if !own && !named {
                        return Err(format!("{} has no binding there: bind it first", target.name()));
                    }
                }
                Change::Layer { name, hold: Some(_), .. } => {
                    if name.trim().is_empty() || name == "base" {
                        return Err("the layer needs a name that no other has".into());
                    }
                    let known = profile.layers.iter().any(|own| own.name == *name);
                    if !known && profile.layers.len() >= LAYERS {
                        return Err(format!("a profile has at most {LAYERS} layers"));
                    }
                }
                Change::Name(name) => {
                    if name.trim().is_empty() || name == PLAIN {
                        return Err("the profile needs a name that no other has".into());
                    }
                    if self.profiles.iter().any(|other| other.name == *name && other.origin != profile.origin) {
                        return Err(format!("a profile named {name} already exists"));
                    }
                }
                Change::Feel(which, Setting::Invert(_)) if which.is_axis() || which.is_line() && which.is_centred() => {
                }
                Change::Feel(which, Setting::Gate(_) | Setting::Invert(_)) if !which.is_stick() => {
                    return Err(format!("the {} has neither a gate nor axes to invert", which.name()));
                }
                Change::Feel(_, setting) => setting.check()?,
                Change::Face(face) => face.check()?,
                Change::DeadZone { thousandths, .. } if *thousandths > 900 => {
                    return Err("a dead zone is at most 0.9 of full travel".into());
                }
                _ => {}
            }
        }
        Ok(())
    }

    fn free_name(&self, wanted: &str) -> String {
        let made = |name: &str| self.editing.iter().any(|editing| editing.makes.as_deref() == Some(name));
        free_name(wanted, |name| made(name) || self.profiles.iter().any(|profile| profile.name == name))
    }

    pub(super) fn profile_saved(&mut self, now: Micros, number: CommandNumber, result: Result<Profile, String>) {
        self.one_saved(now, number, result);
        // Requests the changes that had to wait; some may have to wait again.
        for (number, slot, act) in std::mem::take(&mut self.edits) {
            if let Err(why) = self.edit(number, slot, act) {
                self.answer(number, Err(why));
            }
        }
    }

    fn one_saved(&mut self, now: Micros, number: CommandNumber, result: Result<Profile, String>) {
        let Some(at) = self.editing.iter().position(|editing| editing.number == number) else { return };
        let Editing { slot, inverse, goes, mut said, .. } = self.editing.remove(at);
        let profile = match result {
            Ok(profile) => Arc::new(profile),
            Err(why) => {
                if let Some(slot) = slot.filter(|_| number.0 > OWN) {
                    self.note(now, Mark::Stop, format!("{slot}: the press could not be saved: {why}"));
                }
                self.answer(number, Err(why));
                return self.save_call(now);
            }
        };
        let inverse = match goes {
            Some(Goes::Away(name, origin)) => {
                self.throw_away(now, &name, &origin);
                let trashed = profile.origin.clone();
                let back = Command::ProfileStore(ProfileStoreAct::BringBack { trashed, origin });
                self.answer(number, Ok((format!("{name} is deleted"), Some(back))));
                return;
            }
            Some(Goes::Out) => {
                let said = format!("{} is also in {}", profile.name, profile.origin);
                self.note(now, Mark::Well, said.clone());
                self.answer(number, Ok((said, None)));
                return;
            }
            Some(Goes::In) => {
                said = format!("{} is in the list of profiles", profile.name);
                Some(Command::ProfileStore(ProfileStoreAct::Delete(profile.name.clone())))
            }
            None => inverse,
        };
        let old = self.profiles.iter().position(|other| other.origin == profile.origin);
        // It may have had no file, or another name, until now: its users follow.
        let before = match old {
            Some(old) => std::mem::replace(&mut self.profiles[old], profile.clone()).name.clone(),
            None => {
                self.profiles.retain(|other| other.name != profile.name || !other.origin.is_empty());
                self.profiles.push(profile.clone());
                self.note(now, Mark::Well, format!("{} is now a separate profile", profile.name));
                profile.name.clone()
            }
        };
        for (of, entry) in self.slots.iter_mut() {
            if (Some(of) == slot || entry.profile == before) && entry.profile != profile.name {
                entry.profile.clone_from(&profile.name);
            }
        }
        self.bind_players(now, &profile.name);
        self.rename_agreed(&before, &profile.name);
        self.answer(number, Ok((said, inverse)));
        self.save_call(now);
    }
}

/// Whether a profile has a layer, or will have it with these changes.
fn has_layer(profile: &Profile, changes: &[Change], name: &str) -> bool {
    let made = |change: &Change| matches!(change, Change::Layer { name: own, hold: Some(_), .. } if own == name);
    profile.layers.iter().any(|own| own.name == name) || changes.iter().any(made)
}
