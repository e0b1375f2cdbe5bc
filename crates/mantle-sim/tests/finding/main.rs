//! Fields found by pressing: generated layouts and hands, and the demo's devices that describe nothing. `MANTLE_SEED` draws other layouts and hands,
//! `MANTLE_LAYOUTS` more of them.

mod demo;
mod device;
#[path = "../draw/mod.rs"]
mod draw;
mod hand;

use demo::Demo;
use device::{Device, Parameters};
use draw::Draw;
use hand::{Hand, Hands};
use mantle_core::device::Identity;
use mantle_core::finding::{self, Ask, ButtonShape, Confidence, FieldFound, FieldSearch, Still, Wanted};
use mantle_core::time::Micros;

const LAYOUTS: u64 = 40;
const SEED: u64 = 20_261_125;
/// A conversation that takes longer than this for one control is stuck.
const PATIENCE: Micros = Micros::seconds(40);

fn number(variable: &str, usual: u64) -> u64 {
    std::env::var(variable).ok().and_then(|text| text.parse().ok()).unwrap_or(usual)
}

/// What came of one control.
struct Outcome {
    wanted: Wanted,
    found: Option<FieldFound>,
    confidence: Confidence,
    reason: String,
    right: bool,
}

/// Something whose controls a hand can move, and whose reports describe nothing.
trait Body {
    fn name(&self) -> &str;
    fn rate(&self) -> u64;
    fn shape(&self) -> ButtonShape;
    fn wanted(&self) -> Vec<Wanted>;
    /// Where a control is: -1 to 1, 0 at rest; for a d-pad eighths clockwise from up, -1 for none.
    fn set(&mut self, wanted: &Wanted, position: f64);
    /// Everything is at rest.
    fn rest(&mut self);
    /// A report, as hidraw would deliver it.
    fn report(&mut self, draw: &mut Draw) -> Vec<u8>;
    /// Whether what was found reads an unseen stream correctly.
    fn is_right(&mut self, wanted: &Wanted, found: &FieldFound, draw: &mut Draw) -> bool;
    /// Where a control really is, for people.
    fn truth(&self, wanted: &Wanted) -> String;
}

/// Asks for all controls of a device, and lets a hand do what is asked. Each is asked for once.
fn converse(device: &mut impl Body, hands: &Hands, draw: &mut Draw) -> (Vec<Outcome>, FieldSearch) {
    let wanted = device.wanted();
    let mut session = FieldSearch::new(Still::new(device.shape()), wanted, Micros(0));
    let mut hand = Hand::new(hands, draw);
    let mut outcomes: Vec<Outcome> = Vec::new();
    let period = Micros(1_000_000 / device.rate());
    let mut now = Micros(0);
    let mut since = Micros(0);
    while session.ask() != Ask::Done {
        now = now.after(period);
        hand.follow(now, &session, device, draw);
        let report = device.report(draw);
        session.handle_report(now, &report);
        let stuck = now.since(since) > PATIENCE;
        if session.ask() == Ask::Decide || stuck {
            let wanted = session.wanted().expect("it is asked for").clone();
            let proposal = session.proposal().cloned();
            let (found, confidence, reason) = match proposal {
                Some(proposal) => (proposal.found, proposal.confidence, proposal.reason),
                None => (None, Confidence::Low, format!("stuck at {:?}, spell {:?}", session.ask(), session.step())),
            };
            let right = found.as_ref().is_some_and(|found| device.is_right(&wanted, found, draw));
            if confidence == Confidence::High && right {
                session.accept(now);
            } else {
                session.skip(now);
            }
            outcomes.push(Outcome { wanted, found, confidence, reason, right });
            since = now;
        }
    }
    (outcomes, session)
}

#[derive(Default, Debug)]
struct Score {
    all: u32,
    right: u32,
    sure: u32,
    surely_wrong: u32,
    text: String,
}

impl Score {
    fn count(&mut self, device: &impl Body, outcomes: &[Outcome]) {
        for outcome in outcomes {
            self.all += 1;
            let sure = outcome.confidence == Confidence::High;
            self.right += u32::from(outcome.right);
            self.sure += u32::from(outcome.right && sure);
            self.surely_wrong += u32::from(!outcome.right && sure);
            if !outcome.right || !sure {
                self.text.push_str(&format!(
                    "{}: {} ({:?}): {} {:?}\n    is {}\n    {:?}\n",
                    device.name(),
                    outcome.wanted.name,
                    outcome.confidence,
                    if outcome.right { "right" } else { "WRONG" },
                    outcome.reason,
                    device.truth(&outcome.wanted),
                    outcome.found,
                ));
            }
        }
    }
}

#[test]
fn fields_of_generated_layouts_are_found() {
    let parameters = Parameters::read(include_str!("layouts.toml"));
    let hands = Hands::read(include_str!("hands.toml"));
    let (seed, layouts) = (number("MANTLE_SEED", SEED), number("MANTLE_LAYOUTS", LAYOUTS));
    let mut score = Score::default();
    let (mut shared, mut pressed) = (0, 0);
    for index in 0..layouts {
        let mut draw = Draw::new(seed.wrapping_mul(1_000_003).wrapping_add(index));
        let mut device = Device::generate(&format!("layout {index}"), &parameters, &mut draw);
        let (outcomes, session) = converse(&mut device, &hands, &mut draw);
        score.count(&device, &outcomes);
        let truths = || outcomes.iter().map(|outcome| device.truth(&outcome.wanted));
        shared += truths().filter(|truth| truth.starts_with("Table")).count();
        pressed += truths().filter(|truth| truth.starts_with("Pressure")).count();
        assert_eq!(session.still().checksums().len(), usize::from(device.checksum.is_some()), "{}", device.name);
    }
    let Score { all, right, sure, surely_wrong, text } = &score;
    println!("{text}{all} fields: {right} right, {sure} of them surely, {surely_wrong} surely wrong");
    assert!(*all >= 300, "{all} fields are too few to prove anything");
    assert!(shared >= 30 && pressed >= 30, "{shared} that share a number and {pressed} that tell how hard are too few");
    assert!(f64::from(*right) >= 0.95 * f64::from(*all), "{right} of {all} are right\n{text}");
    assert!(f64::from(*sure) >= 0.90 * f64::from(*right), "{sure} of {right} right ones are sure\n{text}");
    assert_eq!(*surely_wrong, 0, "{text}");
}

#[test]
fn the_whole_layout_of_the_demos_silent_devices_is_found() {
    let hands = Hands::read(include_str!("hands.toml"));
    for (name, controls) in [("cellar-pad", 15), ("lantern-left", 10), ("lantern-right", 10)] {
        let mut draw = Draw::new(number("MANTLE_SEED", SEED));
        let mut device = Demo::new(name);
        let (outcomes, session) = converse(&mut device, &hands, &mut draw);
        let mut score = Score::default();
        score.count(&device, &outcomes);
        assert_eq!((score.all, score.right, score.sure), (controls, controls, controls), "{}", score.text);
        assert_eq!(session.still().checksums().len(), usize::from(name == "cellar-pad"), "{name}");
    }
}

/// What was found is a sheet that can be written, read, and continued.
#[test]
fn what_was_found_is_a_sheet() {
    let hands = Hands::read(include_str!("hands.toml"));
    let mut draw = Draw::new(3);
    let mut device = Demo::new("cellar-pad");
    let (_, session) = converse(&mut device, &hands, &mut draw);
    let identity = Identity { vendor: 0x1209, product: 0x0a09, name: "Cellar pad".into(), ..Identity::default() };
    let sheet = finding::sheet(&identity, session.confirmed(), session.still(), None);
    let text = mantle_files::sheet::write(&sheet);
    let read = mantle_files::sheet::read("", &text);
    assert_eq!((read.sheet.as_ref(), read.faults.len()), (Some(&sheet), 0), "{text}");
    let shape = device.shape();
    let again = finding::confirmed(&sheet, &device.wanted(), &shape);
    let names = |all: &[finding::Confirmed]| all.iter().map(|one| one.wanted.name.clone()).collect::<Vec<_>>();
    assert_eq!(names(&again), names(session.confirmed()));
    assert_eq!(sheet.checks.len(), 1);
}
