//! The made-up computer's radio: what it hears, what it asks, and the devices that connect through it.

use super::{Due, Ready, SimWorld, micros};
use mantle_core::connecting::{Dialogue, JourneyNews, RadioAct, RadioDevice, RadioFault, RadioNews, RadioState};
use mantle_core::time::Micros;
use mantle_engine::Happening;
use mantle_files::{FaultName, SceneFile, SceneHeard};

/// When a scene begins, in seconds from the beginning of 1970, for whatever depends on that.
pub(super) const BEGAN: u64 = 1_000_000_000;
/// How long things take.
const ANSWERING: Micros = Micros::millis(5);
const SWITCHING: Micros = Micros::millis(400);
const PAIRING: Micros = Micros::millis(700);
const TYPING: Micros = Micros::millis(3000);
const LINKING: Micros = Micros::millis(500);
const DROPPING: Micros = Micros::millis(100);
/// From the link to the input device.
const BINDING: Micros = Micros::millis(300);

/// Events of the radio that are due at a time.
#[derive(Clone, Debug)]
pub(super) enum RadioDue {
    /// It reports what it can do, and what it knows.
    Told,
    /// It is able to do something else.
    State(RadioState),
    /// It finds this one, if it is still searching.
    Heard(usize),
    /// Pairing reaches its question, or ends.
    Paired(usize),
    /// What was asked for is done.
    Done(usize),
    /// Why it is not.
    Refused(usize, RadioFault),
    /// The code has been typed on the device.
    Typed(usize),
    /// Its link is up.
    Linked(usize),
    /// Its link is down.
    Dropped(usize),
    /// The system has made an input device for it, if its link is up.
    Bound(usize),
    /// Somebody asks to be paired.
    Stranger(usize),
}

/// A device that connects by radio, or is heard by it.
#[derive(Clone, Debug)]
struct OnAir {
    /// Which of the scene's devices it is.
    index: Option<usize>,
    scene: SceneHeard,
    device: RadioDevice,
    heard: bool,
    asked: Option<Dialogue>,
    /// It has been answered as it should.
    answered: bool,
    pairs: bool,
    /// How often its link was dropped.
    drops: u8,
    /// It has forgotten this computer's keys.
    stale: bool,
}

/// The radio.
#[derive(Clone, Debug, Default)]
pub(super) struct SimRadio {
    open: bool,
    state: RadioState,
    looks: bool,
    all: Vec<OnAir>,
}

impl SimRadio {
    /// The radio of a scene. Devices on that bus are known and connected, unless the scene says otherwise.
    pub fn new(scene: &SceneFile) -> Self {
        let also = scene.radio.also.iter().map(|heard| (None, heard.clone(), false));
        let own = scene.device.iter().enumerate().filter_map(|(index, device)| {
            let heard = device.radio.clone()?;
            Some((Some(index), heard, false))
        });
        let of = |(index, scene, linked): (Option<usize>, SceneHeard, bool)| OnAir {
            index,
            device: RadioDevice { linked, seen: scene.days.map(|days| BEGAN - days * 86_400), ..scene.device() },
            heard: false,
            asked: None,
            answered: false,
            pairs: false,
            drops: 0,
            stale: scene.fault == Some(FaultName::StaleKeys),
            scene,
        };
        let all = own.chain(also).map(of).collect();
        Self { open: false, state: scene.radio.state.state(), looks: false, all }
    }

    /// Names one that belongs to the scene, with this address; it is connected from the start, unless it is to be connected.
    pub fn name(&mut self, index: usize, name: &str, address: &str, ids: (u16, u16), by_radio: bool) {
        match self.all.iter_mut().find(|one| one.index == Some(index)) {
            Some(one) => {
                if one.device.name.is_empty() {
                    name.clone_into(&mut one.device.name);
                }
                address.clone_into(&mut one.device.address);
                one.device.ids = Some(ids);
            }
            None if by_radio => {
                let device = RadioDevice {
                    address: address.into(),
                    name: name.into(),
                    appearance: Some(0x03c4),
                    paired: true,
                    trusted: true,
                    linked: true,
                    signal: Some(-55),
                    ids: Some(ids),
                    ..RadioDevice::default()
                };
                self.all.push(OnAir {
                    index: Some(index),
                    scene: SceneHeard { paired: true, ..SceneHeard::default() },
                    device,
                    heard: true,
                    asked: None,
                    answered: false,
                    pairs: false,
                    drops: 0,
                    stale: false,
                });
            }
            None => {}
        }
    }

    fn find(&self, address: &str) -> Option<usize> {
        self.all.iter().position(|one| one.device.address == address)
    }

    /// What it knows, and has heard.
    fn devices(&self) -> Vec<RadioDevice> {
        let shown = self.all.iter().filter(|one| one.heard || one.device.paired || one.pairs);
        shown.map(|one| one.device.clone()).collect()
    }
}

impl SimWorld {
    fn says(&mut self, news: RadioNews) {
        self.ready.push_back(Ready::Other(Happening::Radio(self.now, Box::new(news))));
    }

    fn tells_devices(&mut self) {
        if self.radio.open && self.radio.state == RadioState::Ready {
            self.says(RadioNews::Devices(self.radio.devices()));
        }
    }

    fn hears(&mut self, at: usize, news: JourneyNews) {
        let address = self.radio.all[at].device.address.clone();
        self.says(RadioNews::Of(address, news));
    }

    fn radio_due(&mut self, after: Micros, due: RadioDue) {
        self.soon(after, Due::Radio(due));
    }

    /// What the radio of a scene does by itself.
    pub(super) fn begin_radio(&mut self) {
        for (second, state) in self.scene.radio.states.clone() {
            self.at(micros(second), Due::Radio(RadioDue::State(state.state())));
        }
        for at in 0..self.scene.radio.strangers.len() {
            self.at(micros(self.scene.radio.strangers[at].0), Due::Radio(RadioDue::Stranger(at)));
        }
    }

    /// A device of the scene has been plugged in or unplugged by itself: its link is up or down.
    pub(super) fn radio_follows(&mut self, index: usize, linked: bool) {
        if let Some(one) = self.radio.all.iter_mut().find(|one| one.index == Some(index))
            && std::mem::replace(&mut one.device.linked, linked) != linked
        {
            self.tells_devices();
        }
    }

    pub(super) fn ask_radio(&mut self, act: RadioAct) {
        let Some(address) = act.address().map(str::to_owned) else {
            match act {
                RadioAct::SwitchOn if self.radio.state == RadioState::Off => {
                    self.radio_due(SWITCHING, RadioDue::State(RadioState::Ready));
                }
                RadioAct::Look(looks) => self.look_around(looks),
                RadioAct::Open => {
                    self.radio.open = true;
                    self.radio_due(ANSWERING, RadioDue::Told);
                }
                _ => {}
            }
            return;
        };
        let Some(at) = self.radio.find(&address) else {
            return self.says(RadioNews::Of(address, JourneyNews::Refused(RadioFault::NotThere)));
        };
        match act {
            RadioAct::Pair(_) => {
                (self.radio.all[at].pairs, self.radio.all[at].answered) = (true, false);
                if self.radio.all[at].scene.fault != Some(FaultName::Silent) {
                    self.radio_due(PAIRING, RadioDue::Paired(at));
                }
            }
            RadioAct::Answer(_, answer) => self.answer_radio(at, answer.as_deref()),
            RadioAct::Trust(_) => {
                self.radio.all[at].device.trusted = true;
                self.radio_due(ANSWERING, RadioDue::Done(at));
            }
            RadioAct::Link(_) => {
                let one = &self.radio.all[at];
                match (one.stale, one.scene.calls) {
                    (true, _) => self.radio_due(LINKING, RadioDue::Refused(at, RadioFault::StaleKeys)),
                    (_, Some(seconds)) => {
                        self.radio_due(LINKING, RadioDue::Refused(at, RadioFault::NotThere));
                        self.radio_due(micros(seconds), RadioDue::Linked(at));
                    }
                    _ => {
                        self.radio_due(LINKING, RadioDue::Linked(at));
                        self.radio_due(LINKING, RadioDue::Done(at));
                    }
                }
            }
            RadioAct::Drop(_) => self.radio_due(DROPPING, RadioDue::Dropped(at)),
            RadioAct::Cancel(_) => (self.radio.all[at].pairs, self.radio.all[at].asked) = (false, None),
            RadioAct::Forget(_) => {
                self.drop_radio(at);
                let one = &mut self.radio.all[at];
                (one.device.paired, one.device.trusted, one.stale) = (false, false, false);
                one.device.battery = None;
                // Its alias goes with its keys.
                if let Some(index) = one.index {
                    one.device.name.clone_from(&self.present[index].device.name);
                }
                self.radio_due(ANSWERING, RadioDue::Done(at));
                self.tells_devices();
            }
            RadioAct::Rename(_, name) => {
                self.radio.all[at].device.name = name;
                self.tells_devices();
            }
            RadioAct::Open | RadioAct::SwitchOn | RadioAct::Look(_) => {}
        }
    }

    /// It searches for devices, or no longer: each is found at its time.
    fn look_around(&mut self, looks: bool) {
        self.radio.looks = looks;
        for at in 0..self.radio.all.len() {
            if looks && !self.radio.all[at].heard {
                self.radio_due(micros(self.radio.all[at].scene.found), RadioDue::Heard(at));
            }
        }
    }

    fn answer_radio(&mut self, at: usize, answer: Option<&str>) {
        let Some(asked) = self.radio.all[at].asked.take() else { return };
        let right = match asked {
            Dialogue::EnterCode | Dialogue::EnterPin => answer == Some(self.radio.all[at].scene.code.as_str()),
            Dialogue::Type { .. } | Dialogue::Compare(_) | Dialogue::Allow => true,
        };
        self.radio.all[at].answered = right;
        match (answer, right) {
            (None, _) => self.radio_due(ANSWERING, RadioDue::Refused(at, RadioFault::Refused)),
            (Some(_), false) => self.radio_due(PAIRING, RadioDue::Refused(at, RadioFault::WrongCode)),
            (Some(_), true) => self.radio_due(PAIRING, RadioDue::Paired(at)),
        }
    }

    fn drop_radio(&mut self, at: usize) {
        let one = &mut self.radio.all[at];
        one.drops = one.drops.saturating_add(1);
        one.device.linked = false;
        if let Some(index) = one.index {
            self.run(self.now, Due::Unplug(index));
        }
    }

    /// It is paired, which brings its link up.
    fn paired(&mut self, at: usize) {
        let one = &mut self.radio.all[at];
        (one.pairs, one.heard) = (false, true);
        (one.device.paired, one.device.battery) = (true, one.scene.battery);
        self.hears(at, JourneyNews::Done);
        self.run_radio(RadioDue::Linked(at));
    }

    pub(super) fn run_radio(&mut self, due: RadioDue) {
        match due {
            RadioDue::Told => {
                self.says(RadioNews::State(self.radio.state.clone()));
                self.tells_devices();
            }
            RadioDue::State(state) => {
                self.radio.state = state.clone();
                if state != RadioState::Ready {
                    self.radio.looks = false;
                    for at in 0..self.radio.all.len() {
                        self.radio.all[at].heard &= self.radio.all[at].device.paired;
                        if self.radio.all[at].device.linked {
                            self.drop_radio(at);
                        }
                    }
                }
                if self.radio.open {
                    self.run_radio(RadioDue::Told);
                }
            }
            RadioDue::Heard(at) => {
                if self.radio.looks && self.radio.state == RadioState::Ready {
                    let one = &mut self.radio.all[at];
                    (one.heard, one.device.signal) = (true, one.scene.signal);
                    self.tells_devices();
                }
            }
            RadioDue::Paired(at) => {
                let one = &mut self.radio.all[at];
                if !one.pairs {
                    return;
                }
                if let Some(fault) = one.scene.refusal() {
                    one.pairs = false;
                    return self.hears(at, JourneyNews::Refused(fault));
                }
                match one.scene.dialogue().filter(|_| !one.answered) {
                    Some(dialogue) => {
                        one.asked = Some(dialogue.clone());
                        if matches!(dialogue, Dialogue::Type { .. }) {
                            self.radio_due(TYPING, RadioDue::Typed(at));
                        }
                        self.hears(at, JourneyNews::Asked(dialogue));
                    }
                    None => self.paired(at),
                }
            }
            RadioDue::Typed(at) => {
                if self.radio.all[at].asked.take().is_some() {
                    self.paired(at);
                }
            }
            RadioDue::Done(at) => self.hears(at, JourneyNews::Done),
            RadioDue::Refused(at, fault) => {
                self.radio.all[at].pairs = false;
                self.hears(at, JourneyNews::Refused(fault));
            }
            RadioDue::Linked(at) => {
                let one = &mut self.radio.all[at];
                if !one.device.paired || one.device.linked || self.radio.state != RadioState::Ready {
                    return;
                }
                (one.device.linked, one.device.signal) = (true, one.scene.signal);
                let comes = match one.scene.fault {
                    Some(FaultName::NoInput) => false,
                    Some(FaultName::LateInput) => one.drops > 0,
                    _ => true,
                };
                if comes {
                    self.radio_due(BINDING, RadioDue::Bound(at));
                }
                self.tells_devices();
            }
            RadioDue::Dropped(at) => {
                self.drop_radio(at);
                self.tells_devices();
            }
            RadioDue::Bound(at) => {
                let one = &self.radio.all[at];
                if let Some(index) = one.index.filter(|_| one.device.linked) {
                    self.plug(self.now, index);
                }
            }
            RadioDue::Stranger(at) => {
                let name = self.scene.radio.strangers[at].1.clone();
                if self.radio.open {
                    self.says(RadioNews::Stranger(name));
                }
            }
        }
    }
}
