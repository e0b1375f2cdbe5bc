//! A device of the demo in a slot, with its profile in memory: reports in, pad out.

use mantle_core::binding::{Profile, ProfileAct};
use mantle_core::command::{Command, CommandNumber};
use mantle_core::control::{Control, PartLayout};
use mantle_core::device::{Driver, NodeFacts, NodeId, NodeKind};
use mantle_core::pad::{PadKind, PadModel, PadState};
use mantle_core::rollcall::RollCall;
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Effect, Settings, Table};
use mantle_core::time::Micros;
use mantle_files::profile;
use mantle_files::shipped;
use mantle_hid::Frame;
use mantle_sim::{SimDevice, SimInterface};
use mantle_talk::HandMove;

pub struct Desk {
    pub table: Table,
    pub interface: SimInterface,
    pub now: Micros,
    pub slot: SlotNumber,
    /// The profile's text.
    pub text: String,
    period: Micros,
    numbers: u32,
}

const PROFILE: &str = "night.profile.toml";

impl Desk {
    /// As a common pad, or as the flight stick that has room for everything of it.
    pub fn new(name: &str, flies: bool) -> Self {
        let file = shipped::device(name).expect("it is shipped");
        let device = SimDevice::new(name, &file, "1-1", None).expect("it is whole");
        let mut interface = device.interfaces[0].clone();
        interface.plug();
        interface.handle_move(0, HandMove::Take(true));
        let text = profile::new("night");
        let first = profile::read(PROFILE, &text).profile.expect("it can be read");
        let sheets = interface.file.sheet.iter().filter_map(|name| shipped::sheet(name)).collect();
        let table = Table::new(Settings { profiles: vec![first.into()], sheets, ..Settings::default() });
        let (slot, period) =
            (SlotNumber::new(1).expect("a slot"), Micros(1_000_000 / u64::from(file.interface[0].rate)));
        let mut desk = Self { table, interface, now: Micros(1), slot, text, period, numbers: 0 };
        desk.table.handle_arrived(
            desk.now,
            NodeFacts {
                id: NodeId(0),
                path: "/dev/hidraw0".into(),
                identity: device.identity_of(0),
                kind: NodeKind::Reports,
                driver: Driver::Generic,
                descriptor: desk.interface.bytes.clone(),
                inputs: Vec::new(),
                driven: Default::default(),
                connection: Default::default(),
                sysfs: String::new(),
            },
        );
        desk.settle();
        let id = desk.table.devices().next().expect("it is there").id;
        let profile = "night".to_owned();
        let flight = PadKind::Flight(mantle_core::binding::proposed(desk.part()));
        let kind = if flies { flight } else { PadKind::Common };
        desk.command(Command::Place { device: id, part: 0, slot, kind, profile });
        desk.wait(Micros::millis(200));
        desk
    }

    pub fn part(&self) -> &PartLayout {
        &self.interface.layout.parts[0]
    }

    pub fn control(&self, name: &str) -> Control {
        self.part().controls.iter().find(|control| control.name == name).expect("it is there").clone()
    }

    /// How the device stands.
    pub fn frame(&self) -> Frame {
        self.table.source(NodeId(0)).expect("it is there").frame
    }

    pub fn model(&self) -> PadModel {
        PadModel::clone(&self.table.slot(self.slot).expect("it is in use").model)
    }

    pub fn pad(&self) -> PadState {
        *self.table.slot(self.slot).expect("it is in use").session.state()
    }

    pub fn call(&self) -> Option<&RollCall> {
        self.table.calling().map(|calling| &calling.call)
    }

    pub fn command(&mut self, command: Command) {
        self.numbers += 1;
        self.table.handle_command(self.now, CommandNumber(self.numbers), command);
        self.settle();
    }

    /// One period of the device.
    pub fn step(&mut self) {
        self.now = self.now.after(self.period);
        for report in self.interface.reports_at(self.now, false) {
            self.table.handle_report(self.now, NodeId(0), &report);
            self.settle();
        }
        self.table.handle_time(self.now);
        self.settle();
    }

    pub fn wait(&mut self, time: Micros) {
        let until = self.now.after(time);
        while self.now < until {
            self.step();
        }
    }

    fn settle(&mut self) {
        loop {
            let mut idle = true;
            while let Some((slot, ..)) = self.table.poll_write() {
                self.table.handle_written(self.now, slot);
                idle = false;
            }
            if let Some(effect) = self.table.poll_effect() {
                idle = false;
                match effect {
                    Effect::Open(node) => self.table.handle_opened(self.now, node, Ok(())),
                    Effect::MakePad { slot, .. } => self.table.handle_pad(self.now, slot, Ok("event9".into())),
                    Effect::Profile { number, act, .. } => {
                        let result = self.keep(&act);
                        self.table.handle_profile(self.now, number, result);
                    }
                    _ => {}
                }
            }
            while self.table.poll_answer().is_some() || self.table.poll_note().is_some() {}
            if idle {
                return;
            }
        }
    }

    fn keep(&mut self, act: &ProfileAct) -> Result<Profile, String> {
        let ProfileAct::Change(changes) = act else { return Err("nothing is taken back here".into()) };
        self.text = profile::change(PROFILE, &self.text, changes).map_err(|fault| fault.to_string())?;
        let read = profile::read(PROFILE, &self.text);
        assert_eq!(read.faults, [], "{}", self.text);
        read.profile.ok_or_else(|| "it cannot be read".into())
    }
}
