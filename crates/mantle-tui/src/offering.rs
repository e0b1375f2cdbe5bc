//! Builds offers: controls, blocks of controls, keys, purposes, profiles, files.

use crate::app::App;
use crate::keys::{Intent, Key};
use crate::listed::{entries_of, same};
use crate::mode::{Mode, TypedFor, Typing};
use crate::offer::{Offer, Offered};
use crate::rows::Then;
use mantle_talk::{
    Block, Change, Detail, KeyTarget, ListEntry, PadTarget, SlotDetail, SlotNumber, TEMPLATES, Target, blocks,
    typed_blocks,
};

/// Actions that many games have.
const ACTIONS: [&str; 36] = [
    "accelerate",
    "aim",
    "attack",
    "block",
    "brake",
    "camera",
    "cast",
    "climb",
    "confirm",
    "cancel",
    "crouch",
    "dodge",
    "drop",
    "fire",
    "gear down",
    "gear up",
    "grab",
    "hand brake",
    "heal",
    "horn",
    "interact",
    "inventory",
    "jump",
    "kick",
    "look",
    "map",
    "menu",
    "pause",
    "punch",
    "reload",
    "roll",
    "run",
    "steer",
    "throw",
    "use",
    "walk",
];

impl App {
    /// Opens a line with its offers. Text left half typed there last time is still there.
    pub(crate) fn ask_line(&mut self, what: TypedFor) {
        self.ask_line_with(what, "");
    }

    /// The same, beginning with existing text.
    pub(crate) fn ask_line_with(&mut self, what: TypedFor, text: &str) {
        let left = self.left_line.take().filter(|(of, _)| *of == what).map(|(_, text)| text);
        let offers = self.offers(&what, "");
        self.mode = Mode::Typing(Typing::new(what, offers).beginning_with(left.as_deref().unwrap_or(text)));
    }

    /// The offers for a purpose, in this directory or for this much of a word.
    pub(crate) fn offers(&self, what: &TypedFor, directory: &str) -> Vec<Offer> {
        match what {
            TypedFor::Action(..) => self.action_offers(directory),
            TypedFor::Source(_, target) => self.source_offers(*target),
            TypedFor::Block(..) => self.block_offers(),
            TypedFor::KeyTarget(_) => self.key_offers(),
            TypedFor::NewProfile(_) => {
                TEMPLATES.iter().map(|one| Offer::new(one.name, one.what, Offered::Text)).collect()
            }
            TypedFor::Order => self.order_offers(),
            TypedFor::Find => self.target_offers(),
            TypedFor::FindProfile => self.profile_offers(),
            TypedFor::PlaceProfile(_) => {
                let new = TEMPLATES
                    .iter()
                    .skip(1)
                    .map(|one| Offer::new(format!("a new one for {}", one.name), one.what, Offered::Text));
                self.profile_offers().into_iter().chain(new).collect()
            }
            TypedFor::Recording => self.file_offers(directory, &[".hid", ".evemu", ".txt"]),
            TypedFor::ImportProfile => self.file_offers(directory, &[".profile.toml"]),
            TypedFor::ExportProfile => self.file_offers(directory, &[]),
            TypedFor::List(_)
            | TypedFor::Face(_)
            | TypedFor::Layer(_)
            | TypedFor::Profile(_)
            | TypedFor::Nickname(_)
            | TypedFor::RenameProfile
            | TypedFor::Knob
            | TypedFor::Option(..) => Vec::new(),
        }
    }

    /// Action names that complete the text; the text itself comes last.
    fn action_offers(&self, typed: &str) -> Vec<Offer> {
        let low = typed.to_lowercase();
        let used = |word: &str| {
            let rows = self.seen_slot().map_or(&[][..], |slot| &slot.bindings);
            rows.iter().any(|row| row.action.as_deref() == Some(word))
        };
        let fit = ACTIONS.iter().filter(|word| word.starts_with(&low) && (**word == low || !used(word)));
        let mut all: Vec<Offer> = fit.map(|word| Offer::new(*word, "", Offered::Text)).collect();
        all.sort_by_key(|offer| offer.text != low);
        if !typed.is_empty() && all.first().is_none_or(|first| first.text != typed) {
            all.push(Offer::new(typed, "as typed", Offered::Text));
        }
        all
    }

    fn seen_slot(&self) -> Option<&SlotDetail> {
        match &self.snapshot.detail {
            Detail::Slot(slot) => Some(slot),
            _ => None,
        }
    }

    /// Every control of the slot's devices with its parts, those that suit the target first, and what each plays now.
    fn source_offers(&self, target: Target) -> Vec<Offer> {
        let Some(slot) = self.seen_slot() else { return Vec::new() };
        let several = slot.devices.len() > 1;
        let wholes = target.pad().is_some_and(PadTarget::is_whole);
        let low = target.direction().is_some_and(|direction| direction & 5 != 0);
        let travels = target.travels() && target.direction().is_none();
        let mut all = Vec::new();
        if wholes {
            all.extend(
                whole_sources(slot, target)
                    .into_iter()
                    .map(|name| Offer::new(name.clone(), plays_now(slot, &name), Offered::Source(name))),
            );
        }
        for device in &slot.devices {
            for control in &device.controls {
                let parts: &[&str] = match control.kind.as_str() {
                    "button" | "key" | "state" => &[""],
                    "hat" => &[" up", " down", " left", " right"],
                    "axis" if travels => &[" whole", " upper half", " lower half"],
                    "axis" if low => &[" lower half", " upper half", " whole"],
                    "axis" => &[" upper half", " lower half", " whole"],
                    "pointer" | "contact" if low => &[" lower half", " upper half", " whole"],
                    "pointer" | "contact" => &[" upper half", " lower half", " whole"],
                    "relative" if low => &[" lower half", " upper half"],
                    "relative" => &[" upper half", " lower half"],
                    _ if wholes => &[],
                    "motion" => &[" upper half", " lower half"],
                    _ => &[],
                };
                let place = device.controls.iter().filter(|one| one.kind == control.kind);
                let place = place.take_while(|one| one.number != control.number).count() + 1;
                for part in parts {
                    let text = format!("{}{part}", control.name);
                    let plays = plays_now(slot, &text);
                    let mut note = if several { device.name.clone() } else { String::new() };
                    if !plays.is_empty() {
                        note = if note.is_empty() { plays } else { format!("{note}; {plays}") };
                    }
                    if control.active {
                        note = if note.is_empty() { "moves now".into() } else { format!("{note}; moves now") };
                    }
                    let also = format!("{} {place} {}", control.kind, device.name);
                    let means = Offered::Source(text.clone());
                    all.push(Offer { also, ..Offer::new(text, note, means) });
                }
            }
        }
        let nothing = Offer::new("nothing", "no control plays it", Offered::Nothing);
        all.push(Offer { also: "none".into(), ..nothing });
        all
    }

    /// Whatever can move four directions at once.
    fn block_offers(&self) -> Vec<Offer> {
        let Some(slot) = self.seen_slot() else { return Vec::new() };
        let mut all = Vec::new();
        for device in &slot.devices {
            for Block { name, sources } in blocks(&device.seen_controls()) {
                let note = if slot.devices.len() > 1 { device.name.as_str() } else { "" };
                all.push(Offer { also: device.name.clone(), ..Offer::new(name, note, Offered::Block(sources)) });
            }
        }
        all
    }

    /// Keys, mouse actions and this program's own actions; neighbouring keys as one offer.
    fn key_offers(&self) -> Vec<Offer> {
        let together = typed_blocks().map(|block| {
            let note = format!("four at once: {}", block.targets.map(|target| target.name().to_owned()).join(", "));
            Offer::new(block.name.clone(), note, Offered::Keys(block))
        });
        let note = |key: &KeyTarget| if key.types() { "" } else { "an action of this program" };
        let single = KeyTarget::all().map(|key| Offer::new(key.name(), note(&key), Offered::Key(key)));
        together.chain(single).collect()
    }

    /// The pad's controls, each with its source.
    fn target_offers(&self) -> Vec<Offer> {
        let Some(slot) = self.seen_slot() else { return Vec::new() };
        let offer = |row: &mantle_talk::BindingRow| {
            let sources =
                if row.sources.is_empty() { String::new() } else { format!("← {}", row.sources.join(", ")) };
            let own: Vec<&str> = [&row.action, &row.prompt].into_iter().flatten().map(String::as_str).collect();
            let note = if own.is_empty() { sources } else { format!("{} {sources}", own.join(", ")) };
            Offer { also: own.join(" "), ..Offer::new(row.name.clone(), note, Offered::Target(row.target)) }
        };
        slot.bindings.iter().map(offer).collect()
    }

    /// Every command that is possible here now.
    fn order_offers(&self) -> Vec<Offer> {
        let moves = |intent: Intent| {
            matches!(intent, Intent::Up | Intent::Down | Intent::Left | Intent::Right | Intent::Orders | Intent::Help)
        };
        let keys = self.keys_of_use().into_iter().filter(|key| !moves(key.intent));
        let words = |key: &Key| match key.intent {
            Intent::Go(stage) => format!("view: {}", stage.name()),
            _ => key.words.to_owned(),
        };
        keys.map(|key| Offer::new(words(&key), key.label, Offered::Order(key.intent))).collect()
    }

    fn profile_offers(&self) -> Vec<Offer> {
        let plays = |name: &str| {
            let slots = self.snapshot.slots.iter().filter(|row| row.profile == name);
            let slots: Vec<String> = slots.map(|row| row.number.to_string()).collect();
            if slots.is_empty() { String::new() } else { format!("{} by it", slots.join(", ")) }
        };
        self.snapshot.profiles.iter().map(|name| Offer::new(name.clone(), plays(name), Offered::Text)).collect()
    }

    fn file_offers(&self, directory: &str, endings: &[&str]) -> Vec<Offer> {
        let means = |text: &str| if text.ends_with('/') { Offered::Directory } else { Offered::Text };
        let all = (self.files)(directory, endings);
        all.into_iter()
            .map(|(text, note)| Offer { means: means(&text), ..Offer::new(text, note, Offered::Text) })
            .collect()
    }

    /// Binds four targets at once; whatever those sources played before stops.
    pub(crate) fn bind_block(&mut self, slot: SlotNumber, targets: [Target; 4], sources: &[String; 4]) {
        let pairs: Vec<(Target, String)> = targets.into_iter().zip(sources.iter().cloned()).collect();
        self.bind_all(slot, &pairs);
        self.target = targets[0];
    }

    fn bind_all(&mut self, slot: SlotNumber, pairs: &[(Target, String)]) {
        let layer = self.layer();
        let Some(detail) = self.seen_slot() else { return };
        let source = |target, source: &str| Change::Source {
            target,
            layer: layer.clone(),
            source: Some(source.to_owned()),
            inverted: false,
        };
        let mut changes: Vec<Change> = pairs.iter().map(|(target, named)| source(*target, named)).collect();
        for row in detail.bindings.iter().filter(|row| pairs.iter().all(|(target, _)| *target != row.target)) {
            let taken =
                row.said.iter().any(|(own, of, _)| *of == layer && pairs.iter().any(|(_, named)| same(own, named)));
            if taken {
                changes.push(source(row.target, "none"));
            }
        }
        self.edit(slot, changes);
    }

    /// Applies a list of numbers, if all of it can be read.
    pub(crate) fn take_list(&mut self, slot: SlotNumber, text: &str, from_zero: bool) -> Result<(), String> {
        let Some(detail) = self.seen_slot() else { return Err("the slot is gone".into()) };
        let (entries, _) = entries_of(detail, text, from_zero);
        let mut pairs = Vec::new();
        for entry in entries {
            match entry {
                ListEntry::Binding(target, named) => pairs.push((target, named.text())),
                ListEntry::Skipped(_) => {}
                ListEntry::Fault(why) => return Err(why),
            }
        }
        if pairs.is_empty() {
            return Err("nothing is bound by that".into());
        }
        self.bind_all(slot, &pairs);
        Ok(())
    }

    /// Carries out a chosen offer.
    pub(crate) fn take_offer(&mut self, what: &TypedFor, means: &Offered) {
        match (what, means) {
            (TypedFor::Source(slot, target), Offered::Source(source)) => {
                self.bind(*slot, *target, source.clone(), false);
            }
            (TypedFor::Source(slot, target), Offered::Nothing) => self.bind_all(*slot, &[(*target, "none".to_owned())]),
            (TypedFor::Block(slot, block), Offered::Block(sources)) => self.bind_block(*slot, block.targets, sources),
            (TypedFor::KeyTarget(slot), Offered::Key(key)) => {
                self.target = Target::Key(*key);
                self.listen(*slot, crate::mode::PressFor::Target);
            }
            (TypedFor::KeyTarget(slot), Offered::Keys(block)) => {
                self.ask_line(TypedFor::Block(*slot, block.clone()));
            }
            (TypedFor::Find, Offered::Target(target)) => self.target = *target,
            (TypedFor::Order, Offered::Order(intent)) => self.handle_intent(*intent),
            _ => {}
        }
    }

    /// Gives orders for a line; if one is refused, the line comes back.
    pub(crate) fn line_waits(&mut self, since: usize, typing: Typing) {
        for (_, then) in self.waiting.iter_mut().skip(since) {
            if *then == Then::Nothing {
                *then = Then::Typed;
            }
        }
        self.last_line = Some(typing);
    }
}

/// Sources that play a target as a whole: a device's motion sensor, a contact on its surface.
fn whole_sources(slot: &SlotDetail, target: Target) -> Vec<String> {
    let controls = || slot.devices.iter().flat_map(|device| &device.controls);
    if target.pad() == Some(PadTarget::Motion) {
        let turns = controls().any(|control| control.kind == "motion");
        return if turns { vec!["motion".to_owned()] } else { Vec::new() };
    }
    let mut all: Vec<String> = Vec::new();
    for control in controls().filter(|control| control.kind == "contact") {
        // Parts are named after the control.
        let name: Vec<&str> = control.name.split(' ').take(2).collect();
        let name = name.join(" ");
        if name.starts_with("contact ") && !all.contains(&name) {
            all.push(name);
        }
    }
    all
}

/// What a source plays now, in words.
fn plays_now(slot: &SlotDetail, source: &str) -> String {
    let plays = |row: &&mantle_talk::BindingRow| row.said.iter().any(|(own, ..)| same(own, source));
    let names: Vec<&str> = slot.bindings.iter().filter(plays).map(|row| row.name.as_str()).collect();
    if names.is_empty() { String::new() } else { format!("plays {}", names.join(", ")) }
}
