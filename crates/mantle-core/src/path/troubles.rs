//! Troubles: everything doubtful about a slot that plays, in words, most urgent first within its stage.

use super::NewsKind;
use super::facts::{Ailing, Lost, MemberFacts, SlotFacts};
use super::words::{Mark, Mend, Proposal, Sentence, slot_word};
use super::{ProfileFacts, ReportsFault, Stage};
use crate::control::ControlKind;
use crate::device::Access;
use crate::watch::{Ailment, Coming, Outcome};

/// A battery below this share is nearly empty.
const EMPTY: f32 = 0.05;
/// How often within a minute a device may disconnect before that is said.
const GOINGS: usize = 3;
/// How many controls are named; sentences have to end.
const NAMED: usize = 3;

/// A trouble being written.
pub(super) struct Say<'a> {
    pub facts: &'a SlotFacts,
    pub slot: String,
    all: Vec<Sentence>,
}

impl Say<'_> {
    fn add(&mut self, mark: Mark, stage: Stage, word: &str, text: String, mend: Option<Mend>) {
        let slot = Some(self.facts.number);
        let (stage, word) = (Some(stage), word.into());
        self.all.push(Sentence { mark, slot, stage, word, text, mend, proposal: None, news: None });
    }

    pub fn doubt(&mut self, stage: Stage, word: &str, text: String) {
        self.add(Mark::Doubt, stage, word, text, Some(Mend::Look(stage)));
    }

    /// Marks the last one as news for people who are not looking.
    pub fn tell(&mut self, kind: NewsKind) {
        if let Some(last) = self.all.last_mut() {
            last.news = Some(kind);
        }
    }

    /// Sets the remedy of the last one.
    pub fn propose(&mut self, proposal: Option<&Proposal>) {
        if let Some(last) = self.all.last_mut() {
            last.proposal = proposal.cloned();
        }
    }
}

/// A few names, and how many more there are.
pub(super) fn few(names: &[String]) -> String {
    let shown = names.len().min(NAMED);
    let more = names.len() - shown;
    let text = match &names[..shown] {
        [] => String::new(),
        [one] => one.clone(),
        [all @ .., last] if more == 0 => format!("{} and {last}", all.join(", ")),
        all => all.join(", "),
    };
    if more == 0 { text } else { format!("{text} and {more} more") }
}

/// A reason with a full stop.
fn ended(why: &str) -> String {
    if why.ends_with('?') { why.to_owned() } else { format!("{why}.") }
}

fn percent(share: f32) -> String {
    format!("{:.0} %", share * 100.0)
}

/// A duration in words.
fn span(span: crate::time::Micros) -> String {
    match span.0 / 1_000_000 {
        seconds @ 0..120 => format!("{seconds} s"),
        seconds => format!("{} min", seconds / 60),
    }
}

/// Everything doubtful about a slot whose devices are connected, in the order of the stages.
pub(super) fn doubts(facts: &SlotFacts) -> Vec<Sentence> {
    let mut say = Say { facts, slot: slot_word(facts.number), all: Vec::new() };
    let present: Vec<&MemberFacts> = facts.members.iter().filter(|member| member.present).collect();
    for member in facts.members.iter().filter(|member| !member.present) {
        if !present.is_empty() && present.iter().all(|other| other.lent) {
            let names: Vec<String> = present.iter().map(|other| other.name.clone()).collect();
            let text = format!("{} is lent to {} until {} is back.", say.slot, few(&names), member.name);
            say.add(Mark::Kept, Stage::Device, "lent", text, None);
        } else if !present.is_empty() {
            away(&mut say, member, &present);
        }
    }
    for member in &present {
        of_device(&mut say, member);
    }
    for member in &present {
        of_reports(&mut say, member);
    }
    for member in &present {
        of_controls(&mut say, member);
    }
    of_profile(&mut say, &facts.profile, &present);
    of_press(&mut say);
    of_feel(&mut say);
    if let Some(late) = facts.late {
        let text = format!(
            "{}: one press in a hundred takes {:.1} ms or more from report to pad: this computer is too busy. Close what uses it most; `placid-mantle service status` says whether this program has real-time priority.",
            say.slot,
            late.0 as f64 / 1000.0
        );
        say.doubt(Stage::Pad, "late", text);
        say.tell(NewsKind::Delay);
    }
    if let Some(why) = &facts.instead {
        let text =
            format!("{}: its pad should be a device of its own, but is made of event nodes: {}", say.slot, why.told());
        say.doubt(Stage::Pad, "not apart", text);
    }
    if let Some(file) = &facts.no_file {
        let text = format!(
            "{}: its pad file {file}.pad.toml is missing, so it plays as a common pad. Put the file back, or choose another kind (K in Pad).",
            say.slot
        );
        say.doubt(Stage::Pad, "no file", text);
    }
    if let Some(out) = &facts.kept_out {
        let text = format!(
            "{}: {} lists only the pad of {}, not this one. It lists several if each is a device of its own: K in Pad, then p.",
            say.slot, out.browser, out.keeps
        );
        say.doubt(Stage::Games, "unlisted", text);
        say.propose(out.proposal.as_ref());
    }
    super::seen_words::of_games(&mut say);
    say.all
}

fn away(say: &mut Say<'_>, member: &MemberFacts, present: &[&MemberFacts]) {
    let names: Vec<String> = present.iter().map(|member| member.name.clone()).collect();
    let (slot, name, others) = (say.slot.clone(), &member.name, few(&names));
    let play = if names.len() == 1 { "plays" } else { "play" };
    let often = often(member).unwrap_or_default();
    say.doubt(
        Stage::Device,
        "one away",
        format!("{slot}: {name} is gone, and its controls rest; {others} {play} on.{often} Plug it in again."),
    );
}

/// That it has disconnected often, if it has.
pub(super) fn often(member: &MemberFacts) -> Option<String> {
    let goings = member.goings;
    (goings >= GOINGS)
        .then(|| format!(" It has disappeared {goings} times within a minute: try another cable or port."))
}

fn of_device(say: &mut Say<'_>, member: &MemberFacts) {
    let (slot, name) = (say.slot.clone(), &member.name);
    if let Access::Refused(fault) = &member.access
        && say.facts.others_play(member)
    {
        let (why, remedy) = super::words::closed(name, fault);
        let text = format!("{slot}: {why}, so it plays nothing; the others play on. {remedy}");
        say.doubt(Stage::Device, "refused", text);
        say.tell(NewsKind::Stops);
    }
    if let Some(often) = often(member) {
        let text = format!("{slot}: {name} comes and goes.{often}");
        say.doubt(Stage::Device, "loose", text);
        say.tell(NewsKind::Stops);
    }
    if let Some(other) = &member.also {
        let text = format!(
            "{slot}: {name} is here twice: the same device also plays in {other}, so each press arrives twice. Take one of them out."
        );
        say.doubt(Stage::Device, "twice", text);
        say.propose(member.out.as_ref());
    }
    match member.battery {
        Some((share, false)) if share <= EMPTY => {
            let text = format!("{slot}: the battery of {name} is nearly empty ({}): charge it now.", percent(share));
            say.doubt(Stage::Device, "empty", text);
            say.tell(NewsKind::Battery);
        }
        Some((share, false)) if share <= say.facts.limits.battery => {
            let text = format!("{slot}: the battery of {name} is low ({}): charge it soon.", percent(share));
            say.doubt(Stage::Device, "battery", text);
            say.tell(NewsKind::Battery);
        }
        _ => {}
    }
}

fn of_reports(say: &mut Say<'_>, member: &MemberFacts) {
    let (slot, name) = (say.slot.clone(), &member.name);
    if let Some(fault) = &member.fault
        && say.facts.others_play(member)
    {
        let why = match fault {
            ReportsFault::Descriptor(why) => format!("its report descriptor cannot be read: {why}"),
            ReportsFault::Unreadable(why) => format!("what it sends cannot be read: {why}"),
            ReportsFault::Asleep(why) => format!("it does not start up: {why}"),
        };
        say.doubt(Stage::Reports, "one stops", format!("{slot}: {name} plays nothing, the others play on; {why}."));
        say.tell(NewsKind::Stops);
    }
    for coming in &member.coming {
        // If nothing can be read at all, that is said, without counts.
        if member.fault.is_some() && !matches!(coming, Coming::Silent(..)) {
            continue;
        }
        match *coming {
            Coming::Silent(rate, silent) => {
                let battery = match member.battery {
                    Some((share, _)) => format!(" Its battery was at {}.", percent(share)),
                    None => String::new(),
                };
                let text = format!(
                    "{slot}: {name} sent {rate:.0} reports per second and has been silent for {}.{battery} Bring it closer, charge it, or switch it on.",
                    span(silent)
                );
                let mark = if say.facts.is_silent() { Mark::Stop } else { Mark::Doubt };
                say.add(mark, Stage::Reports, "silent", text, Some(Mend::Look(Stage::Reports)));
                say.tell(NewsKind::Stops);
            }
            Coming::Slow(rate) => {
                let late = 1000.0 / rate.max(1.0);
                let text = format!(
                    "{slot}: {name} sends only {rate:.0} reports per second: presses are up to {late:.0} ms late, and short ones get lost. Bring it closer, or use a cable."
                );
                say.doubt(Stage::Reports, "slow", text);
                say.tell(NewsKind::Delay);
            }
            Coming::Lost(share) => {
                let text = format!(
                    "{slot}: {name} lost {} of its reports within the last minute: presses are late, and short ones get lost. Reports (R) shows what slows this link.",
                    percent(share.max(0.01))
                );
                say.doubt(Stage::Reports, "lost", text);
                say.tell(NewsKind::Delay);
            }
            Coming::Damaged(share) => say.doubt(
                Stage::Reports,
                "damaged",
                format!(
                    "{slot}: {} of what {name} sends cannot be read: try another cable or port, or bring it closer.",
                    percent(share.max(0.01))
                ),
            ),
        }
    }
    if let Some(pairs) = &member.receiver_alone {
        let text = format!("{slot}: {name} sends, but no controller is connected to it. If it is a receiver, {pairs}.");
        say.doubt(Stage::Reports, "nobody", text);
    }
}

fn of_controls(say: &mut Say<'_>, member: &MemberFacts) {
    let (slot, name) = (say.slot.clone(), &member.name);
    not_counted(say, member);
    for ailing in &member.ailing {
        let Ailing { control, plays, ailment, dead_zone, proposal } = ailing;
        let what =
            if plays.is_empty() { format!("{control} of {name}") } else { format!("{plays} ({control} of {name})") };
        let covers = dead_zone
            .map(|zone| format!("A dead zone of {} covers it (Feel), or m", percent(zone)))
            .unwrap_or("M".into());
        match ailment {
            Ailment::Drifts(off) => say.doubt(
                Stage::Controls,
                "drifts",
                format!(
                    "{slot}: {what} is {} off centre while nobody holds it. {covers}easure it.",
                    percent(*off)
                ),
            ),
            Ailment::Trembles(by) => say.doubt(
                Stage::Controls,
                "trembles",
                format!("{slot}: {what} trembles by {} while nobody holds it. {covers}easure it.", percent(*by)),
            ),
            Ailment::Jumps(count) => say.doubt(
                Stage::Controls,
                "jumps",
                format!(
                    "{slot}: {what} jumps away and back ({count} times lately): its track or cable is worn. Smoothing hides it (Feel)."
                ),
            ),
            Ailment::Short(end, lower) => {
                let side = if *lower { "lower" } else { "upper" };
                let zone = 1.0 - end;
                say.doubt(
                    Stage::Controls,
                    "short",
                    format!(
                        "{slot}: {what} never gets past {} towards its {side} end. Measure it, or set an outer dead zone of {} (Feel).",
                        percent(*end),
                        percent((zone * 100.0).ceil() / 100.0)
                    ),
                );
            }
            Ailment::Down(long, since_it_came) => {
                let since = if *since_it_came { ", since it came" } else { "" };
                say.doubt(
                    Stage::Controls,
                    "held down",
                    format!(
                        "{slot}: {what} has been down for {}{since}. Release it; if nobody holds it, it is stuck: measure it, or unbind it.",
                        span(*long)
                    ),
                );
            }
        }
        say.propose(proposal.as_ref());
    }
    if let Some(control) = &member.shared_triggers {
        let text = format!(
            "{slot}: both triggers of {name} share one axis, {control}: pulled together they cancel out inside the device. If a game needs both at once, bind one to a button."
        );
        say.add(Mark::Hint, Stage::Bindings, "plays", text, Some(Mend::Look(Stage::Bindings)));
    }
    if !member.idle.is_empty() && member.plays {
        let names: Vec<String> = member.idle.iter().map(|(name, _)| name.clone()).collect();
        let (verb, them) = if names.len() == 1 { ("plays", "it") } else { ("play", "them") };
        let (names, why) = (few(&names), member.idle[0].1);
        let text = format!("{slot}: {names} of {name} {verb} nothing ({why}). Bind {them} if you need {them}.");
        say.add(Mark::Hint, Stage::Bindings, "plays", text, Some(Mend::Look(Stage::Bindings)));
    }
}

/// Controls that do not count because of their state when the device came.
fn not_counted(say: &mut Say<'_>, member: &MemberFacts) {
    let (slot, name) = (say.slot.clone(), &member.name);
    if !member.was_down.is_empty() {
        let down = &member.was_down;
        let names: Vec<&str> = down.iter().map(|(name, _)| name.as_str()).collect();
        let axis = down.iter().any(|(_, kind)| *kind == ControlKind::Axis);
        let (were, go, count) = if down.len() == 1 { ("was", "it", "counts") } else { ("were", "them", "count") };
        let they = if down.len() == 1 { "it" } else { "they" };
        let measure = if axis { format!(" If nobody holds {go}, measure {go}.") } else { String::new() };
        let names = names.join(" and ");
        let text = format!(
            "{slot}: {names} of {name} {were} down when it was connected: release {go}, and {they} {count}.{measure}"
        );
        say.doubt(Stage::Controls, "held off", text);
        say.propose(member.measure.as_ref().filter(|_| axis));
    }
    if !member.at_end.is_empty() {
        let text = format!(
            "{slot}: {} of {name} has been at an end since it was connected, so it is ignored: move it to the middle, or measure it.",
            member.at_end.join(" and ")
        );
        say.doubt(Stage::Controls, "held back", text);
        say.propose(member.measure.as_ref());
    }
}

fn of_profile(say: &mut Say<'_>, profile: &ProfileFacts, present: &[&MemberFacts]) {
    let (slot, name) = (say.slot.clone(), &profile.name);
    let devices: Vec<String> = present.iter().map(|member| member.name.clone()).collect();
    let devices = few(&devices);
    if profile.missing {
        let text = format!(
            "{slot}: there is no profile named {name}, so it plays the default bindings. Choose another profile, or put the file back."
        );
        say.doubt(Stage::Bindings, "no file", text);
        say.propose(profile.proposal.as_ref());
    }
    let lost = profile.unplayed.len();
    let Some((line, why)) = profile.unplayed.first() else { return };
    let at = if *line == 0 { String::new() } else { format!(" (line {line})") };
    let text = match (lost, profile.rules) {
        (lost, all) if lost == all && all > 1 => format!(
            "{slot}: nothing in the profile {name} works with {devices}: it is for another device. The first of its {all} lines{at}: {} Choose another profile.",
            ended(why)
        ),
        (1, _) => format!("{slot}: one binding of the profile {name}{at} plays nothing: {}", ended(why)),
        (lost, all) => {
            format!(
                "{slot}: {lost} of {all} bindings of the profile {name} play nothing. The first{at}: {}",
                ended(why)
            )
        }
    };
    say.doubt(Stage::Bindings, "unbound", text);
    say.propose(profile.proposal.as_ref());
}

fn of_press(say: &mut Say<'_>) {
    let Some(press) = &say.facts.press else { return };
    let (slot, what) = (say.slot.clone(), format!("{} of {}", press.control, press.device));
    let outcome = match &press.lost {
        Lost::Unplayed(outcome) => outcome,
        Lost::Shut(target, way) => {
            let text = format!(
                "{slot}: {what} is at {} of its travel, but {target} stays at rest: the feel keeps it back.",
                percent(*way)
            );
            say.doubt(Stage::Feel, "kept back", text);
            return say.propose(press.proposal.as_ref());
        }
    };
    let text = match outcome {
        Outcome::Unbound(why) => format!("{slot}: you press {what}, which plays nothing: {why}. Bind it."),
        Outcome::OtherLayer(layer, hold, toggle) => {
            let how = if *toggle { "press" } else { "hold" };
            format!("{slot}: {what} plays only in the layer {layer}, which is off: {how} {hold}.")
        }
        Outcome::Hidden(layer, true) => {
            format!("{slot}: the layer {layer} is on and has nothing for {what}: switch it off.")
        }
        Outcome::Hidden(layer, false) => {
            format!("{slot}: the layer {layer} is held and has nothing for {what}: release it.")
        }
        Outcome::Together(with) => {
            format!("{slot}: {what} plays only together with {}: hold that as well.", with.join(" and "))
        }
        Outcome::Below(from, way, ..) => format!(
            "{slot}: {what} counts from {} of its travel, and is at {}: press further, or lower its threshold.",
            percent(*from),
            percent(*way)
        ),
        Outcome::Gives(_) | Outcome::Helps | Outcome::Waits => return,
    };
    let mark = if matches!(outcome, Outcome::Unbound(_)) { Mark::Hint } else { Mark::Doubt };
    say.add(mark, Stage::Bindings, "lost", text, Some(Mend::Look(Stage::Bindings)));
    say.propose(press.proposal.as_ref());
}

fn of_feel(say: &mut Say<'_>) {
    let slot = say.slot.clone();
    for shut in &say.facts.shut {
        let since = if shut.changed { "since you changed it" } else { "and always has" };
        let what = if shut.wholly { "lets nothing through" } else { "lets hardly anything through" };
        let text = format!("{slot}: the feel of the {} {what}, {since}: {}. Set it back.", shut.which, shut.setting);
        say.doubt(Stage::Feel, "shut", text);
        say.propose(shut.proposal.as_ref());
    }
}
