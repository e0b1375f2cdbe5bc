//! What is said: about planted faults the truth, by name and with what mends it; about sound set-ups nothing. On simulated time; if a fault can be
//! mended it is, and what was said about it disappears.

mod faults;
mod sound;

use mantle_core::command::{CalibrationStep, Command, CommandNumber};
use mantle_core::pad::Events;
use mantle_core::path::{Mark, PadFault, Sentence, sentences};
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Effect, Table};
use mantle_core::time::Micros;
use mantle_engine::{Happening, Observer, World};
use mantle_files::SceneFile;
use mantle_sim::{Pace, SimWorld};
use mantle_talk::{Order, Wish};

/// One set-up with something wrong in it.
pub struct Fault {
    /// What a person would say.
    pub what: &'static str,
    /// The scene, without its head.
    pub scene: String,
    /// What somebody does, and when.
    pub acts: Vec<(f64, Command)>,
    /// When it is looked.
    pub at: f64,
    /// What has to be said then: all of these in one sentence.
    pub says: &'static [&'static str],
    /// What somebody does about it, if it is not mended by itself, and when nothing more is said about it.
    pub mend: Option<(Vec<(f64, Command)>, f64)>,
    /// Somebody accepts what the sentence proposes.
    pub agreed: bool,
    /// It has no key: only hands mend it.
    pub by_hand: bool,
    /// Once it is mended nothing else is wrong.
    pub wholly: bool,
}

impl Fault {
    /// A fault that is checked then, with what has to be said.
    pub fn new(what: &'static str, scene: impl Into<String>, at: f64, says: &'static [&'static str]) -> Self {
        Self {
            what,
            scene: scene.into(),
            acts: Vec::new(),
            at,
            says,
            mend: None,
            agreed: false,
            by_hand: false,
            wholly: false,
        }
    }

    /// Somebody does this first.
    pub fn after(mut self, at: f64, command: Command) -> Self {
        self.acts.push((at, command));
        self
    }

    /// It is mended by itself, or by what happens in the scene, until then.
    pub fn gone_by(mut self, at: f64) -> Self {
        self.mend = Some((Vec::new(), at));
        self
    }

    /// Somebody mends it.
    pub fn mended_by(mut self, command: Command, gone: f64) -> Self {
        self.mend = Some((vec![(self.at + 0.1, command)], gone));
        self
    }

    /// Somebody accepts the proposal, and by then it is mended.
    pub fn agreed(mut self, gone: f64) -> Self {
        self.agreed = true;
        self.gone_by(gone)
    }

    /// The proposal is to measure it: it is accepted, everything is moved through its travel by what happens in the scene, and by then the last step
    /// is taken.
    pub fn measured(mut self, travelled: f64, gone: f64) -> Self {
        (self.agreed, self.wholly) = (true, true);
        let next = || Command::StepCalibration(CalibrationStep::Next);
        self.mend = Some((vec![(travelled, next()), (gone - 2.0, next())], gone));
        self
    }

    /// No key mends it, nor opens anything.
    pub fn by_hand(mut self) -> Self {
        self.by_hand = true;
        self
    }
}

/// A world in which somebody does something at certain moments.
struct Acted {
    world: SimWorld,
    acts: Vec<(Micros, Command)>,
    done: u32,
}

impl World for Acted {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        let Some((at, _)) = self.acts.first() else { return self.world.next(until) };
        let at = *at;
        let stop = Some(until.map_or(at, |until| until.min(at)));
        // What happens at that very moment happens first.
        match self.world.next(stop) {
            Happening::Time(now) if now >= at => {
                let (_, command) = self.acts.remove(0);
                self.done += 1;
                let order = Order { number: CommandNumber(self.done), wish: Wish::Command(command) };
                Happening::Order(now, Box::new(order))
            }
            // It is borrowed from the world, so it cannot be examined again until the next turn.
            other => other,
        }
    }

    fn write(&mut self, slot: SlotNumber, events: &Events) -> Result<(), PadFault> {
        self.world.write(slot, events)
    }

    fn files(&self) -> mantle_engine::FilesToRead {
        Box::new(Vec::new)
    }

    fn clock(&self) -> Option<Micros> {
        None
    }

    fn start(&mut self, effect: Effect) {
        self.world.start(effect);
    }
}

/// What is said at certain moments.
struct Ear {
    moments: Vec<Micros>,
    said: Vec<Vec<Sentence>>,
}

impl Observer for Ear {
    fn deadline(&self) -> Option<Micros> {
        self.moments.get(self.said.len()).copied()
    }

    fn look(&mut self, now: Micros, table: &Table) {
        while self.moments.get(self.said.len()).is_some_and(|moment| *moment <= now) {
            let facts: Vec<_> = SlotNumber::all().filter_map(|slot| table.slot_facts(slot)).collect();
            self.said.push(sentences(&facts, &table.table_facts()));
        }
    }
}

fn micros(seconds: f64) -> Micros {
    Micros((seconds * 1e6) as u64)
}

/// What is said about a scene at certain moments.
fn said(scene: &str, acts: &[(f64, Command)], moments: &[f64]) -> Vec<Vec<Sentence>> {
    let text = format!("version = 1\ntitle = \"said\"\n{scene}");
    let scene = SceneFile::parse("said", &text).unwrap_or_else(|fault| panic!("{fault}\n{text}"));
    let last = moments.iter().copied().fold(0.0, f64::max);
    let pace = Pace::Virtual { until: micros(last + 0.5) };
    let world = SimWorld::new(&scene, pace, None).unwrap_or_else(|fault| panic!("{fault}\n{text}"));
    let mut table = Table::new(world.settings());
    let acts = acts.iter().map(|(at, command)| (micros(*at), command.clone())).collect();
    let mut ear = Ear { moments: moments.iter().copied().map(micros).collect(), said: Vec::new() };
    mantle_engine::run(&mut Acted { world, acts, done: 0 }, &mut table, &mut ear);
    assert_eq!(ear.said.len(), moments.len(), "it ended too soon");
    ear.said
}

fn shown(said: &[Sentence]) -> String {
    said.iter().map(|one| format!("\n    {:?} ({}): {}", one.mark, one.word, one.text)).collect()
}

fn find<'a>(said: &'a [Sentence], all: &[&str]) -> Option<&'a Sentence> {
    said.iter().find(|sentence| all.iter().all(|words| sentence.text.contains(words)))
}

/// Nothing is wrong with it.
fn fine(one: &Sentence) -> bool {
    one.mark == Mark::Well || one.mark == Mark::Hint && one.word == "plays"
}

#[test]
fn every_fault_is_reported_truthfully_and_disappears_when_mended() {
    let mut wrong = Vec::new();
    let faults = faults::all();
    println!("{} faults", faults.len());
    assert!(faults.len() >= 70, "only {}", faults.len());
    for Fault { what, scene, mut acts, at, says, mend, agreed, by_hand, wholly } in faults {
        let mut moments = vec![at];
        if agreed {
            let heard = said(&scene, &acts, &moments);
            match find(&heard[0], says).and_then(|one| one.proposal.as_ref()) {
                Some(proposal) => acts.push((at + 0.1, proposal.command.clone())),
                None => wrong.push(format!("{what}: nothing is proposed:{}", shown(&heard[0]))),
            }
        }
        if let Some((more, gone)) = mend {
            acts.extend(more);
            moments.push(gone);
        }
        let heard = said(&scene, &acts, &moments);
        match find(&heard[0], says) {
            Some(one) if (one.mend.is_some() || one.proposal.is_some()) == by_hand => {
                wrong.push(format!("{what}: it has a key? {}: {}", !by_hand, one.text));
            }
            Some(_) => {}
            None => wrong.push(format!("{what}: {says:?} is not said, but:{}", shown(&heard[0]))),
        }
        for sentence in heard.iter().flatten() {
            let text = &sentence.text;
            let whole = text.ends_with(['.', '?', '…']) && !text.contains("  ") && !text.contains("..");
            if !whole || text.chars().count() > 330 {
                wrong.push(format!("{what}: not a sentence: {text}"));
            }
            if sentence.word.chars().count() > 9 {
                wrong.push(format!("{what}: {:?} is too long for its row", sentence.word));
            }
        }
        if heard.get(1).is_some_and(|after| find(after, says).is_some()) {
            wrong.push(format!("{what}: it is still said:{}", shown(&heard[1])));
        }
        if wholly && !heard.get(1).is_some_and(|after| after.iter().all(fine)) {
            wrong.push(format!("{what}: something is wrong after all:{}", shown(&heard[1])));
        }
    }
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n"));
}

#[test]
fn nothing_is_said_about_a_sound_set_up() {
    let mut wrong = Vec::new();
    let all = sound::all();
    println!("{} sound set-ups", all.len());
    assert!(all.len() >= 25, "only {}", all.len());
    for (what, scene, acts, at) in all {
        for said in said(&scene, &acts, &at) {
            if !said.iter().all(fine) {
                wrong.push(format!("{what}:{}", shown(&said)));
            }
        }
    }
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n"));
}
