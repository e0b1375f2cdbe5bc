//! Connects devices.

use crate::app::App;
use crate::keys::{ConnectKey, Intent};
use crate::mode::{Ask, Connecting, FoundRow, Mode};
use crate::rows::{Row, Then};
use mantle_talk::{Command, ConnectAct, ConnectView, DeviceId, Dialogue, JourneyStep, RadioState};

impl App {
    /// Looks for devices; if a recording is chosen, the same key speeds it up.
    pub(crate) fn begin_connecting(&mut self) {
        if self.playing().is_some() {
            return self.handle_intent(Intent::Faster);
        }
        self.mode = Mode::Connect(Connecting::default());
    }

    /// Handles an intent while the Connect view is open.
    pub(crate) fn handle_connecting(&mut self, mut connecting: Connecting, intent: Intent) {
        let view = self.snapshot.connecting.clone().unwrap_or_default();
        let active = view
            .journey
            .as_ref()
            .filter(|journey| !matches!(journey.step, JourneyStep::There(_) | JourneyStep::Failed(_)));
        match intent {
            Intent::Up | Intent::Down => connecting.step(&view, intent == Intent::Down),
            Intent::Back => match std::mem::take(&mut connecting.ask) {
                Ask::Forget(_) | Ask::Name(_) => {}
                Ask::Code => self.connect(ConnectAct::Answer(None)),
                Ask::Nothing => match active.map(|journey| &journey.step) {
                    Some(JourneyStep::Pairing(Some(Dialogue::Compare(_) | Dialogue::Allow))) => {
                        self.connect(ConnectAct::Answer(None));
                    }
                    Some(_) => self.connect(ConnectAct::GiveUp),
                    None if view.journey.is_some() => self.connect(ConnectAct::GiveUp),
                    None => return,
                },
            },
            Intent::Open if self.go_on(&mut connecting, &view) => return,
            Intent::Connecting(ConnectKey::Close) => return,
            Intent::Connecting(wanted) => self.handle_connect_key(wanted, &mut connecting, &view),
            _ => {}
        }
        self.mode = Mode::Connect(connecting);
    }

    fn connect(&mut self, act: ConnectAct) {
        self.command(Command::Connect(act), Then::Nothing);
    }

    /// Does the next step. Returns whether something else took over the keys.
    fn go_on(&mut self, connecting: &mut Connecting, view: &ConnectView) -> bool {
        match std::mem::take(&mut connecting.ask) {
            Ask::Forget(address) => self.connect(ConnectAct::Forget(address)),
            Ask::Name(address) => {
                let name = connecting.typed().to_owned();
                self.connect(ConnectAct::Rename(address, name));
            }
            Ask::Code => {
                let code = connecting.typed().to_owned();
                self.connect(ConnectAct::Answer(Some(code)));
                // A wrong code is asked for again; a code that was taken ends the question.
                connecting.ask = Ask::Code;
            }
            Ask::Nothing => {
                let journey = view.journey.as_ref();
                match (journey.map(|journey| &journey.step), connecting.chosen(view)) {
                    (Some(JourneyStep::Pairing(Some(Dialogue::Compare(_) | Dialogue::Allow))), _) => {
                        self.connect(ConnectAct::Answer(Some(String::new())));
                    }
                    (Some(JourneyStep::There(_)), _) => {
                        self.connect(ConnectAct::GiveUp);
                        return journey
                            .and_then(|journey| journey.device)
                            .is_some_and(|device| self.place_found(device));
                    }
                    (Some(JourneyStep::Failed(_)), _) => {
                        let address = journey.map(|journey| journey.address.clone()).unwrap_or_default();
                        self.connect(ConnectAct::Begin(address));
                    }
                    (Some(_), _) => self.message = Some("it is being connected: Esc stops it".into()),
                    (None, Some(FoundRow::Came(device, part))) => return self.place_found((device, part)),
                    (None, Some(FoundRow::Radio(address))) => self.connect(ConnectAct::Begin(address)),
                    (None, None) if view.state == RadioState::Off => self.connect(ConnectAct::SwitchOn),
                    (None, None) => self.message = Some("nothing has been found yet".into()),
                }
            }
        }
        false
    }

    /// Places a device that has turned up. Returns whether it is still connected.
    fn place_found(&mut self, (id, part): (DeviceId, u8)) -> bool {
        let Some(row) = self.snapshot.devices.iter().find(|row| (row.id, row.part) == (id, part)) else {
            self.message = Some("it is no longer there".into());
            return false;
        };
        self.row = Some(row.slot.map_or(Row::Device(id, part), Row::Slot));
        self.begin_placing();
        true
    }

    fn handle_connect_key(&mut self, wanted: ConnectKey, connecting: &mut Connecting, view: &ConnectView) {
        let known = connecting.chosen_radio(view);
        match (wanted, known) {
            (ConnectKey::SwitchOn, _) if view.state == RadioState::Off => self.connect(ConnectAct::SwitchOn),
            (ConnectKey::SwitchOn, _) => self.message = Some(view.state.sentence().into()),
            (ConnectKey::LookOn, _) => self.connect(ConnectAct::LookOn),
            (ConnectKey::Anew, _) if view.journey.is_some() => self.connect(ConnectAct::Anew),
            (ConnectKey::Rename, Some(device)) if device.paired => {
                connecting.type_from(Ask::Name(device.address.clone()), &device.name);
            }
            (ConnectKey::Forget, Some(device)) if device.paired => {
                connecting.ask = Ask::Forget(device.address.clone());
            }
            (ConnectKey::Drop, Some(device)) if device.linked => {
                self.connect(ConnectAct::Drop(device.address.clone()));
            }
            (ConnectKey::Drop, Some(_)) => self.message = Some("it is not connected".into()),
            (ConnectKey::Anew, _) => self.message = Some("this is for a device that failed to connect".into()),
            _ => self.message = Some("choose a device that this computer knows".into()),
        }
    }

    /// Whether an intent is possible while connecting.
    pub(crate) fn can_connect(&self, wanted: ConnectKey) -> bool {
        let (Mode::Connect(connecting), Some(view)) = (&self.mode, self.snapshot.connecting.as_deref()) else {
            return wanted == ConnectKey::Close;
        };
        let step = view.journey.as_ref().map(|journey| &journey.step);
        let listed = step.is_none() && connecting.ask == Ask::Nothing;
        let device = connecting.chosen_radio(view).filter(|_| listed);
        match wanted {
            ConnectKey::Anew => matches!(step, Some(JourneyStep::Failed(fault)) if fault.wants_anew()),
            ConnectKey::Rename | ConnectKey::Forget => device.is_some_and(|device| device.paired),
            ConnectKey::Drop => device.is_some_and(|device| device.linked),
            ConnectKey::SwitchOn => listed && view.state == RadioState::Off,
            ConnectKey::LookOn => listed && view.state == RadioState::Ready && !view.looks,
            ConnectKey::Close => true,
        }
    }
}
