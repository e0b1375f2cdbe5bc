//! The conversation with the daemon: requests go out as messages, and replies are interpreted in the order in which they come.

mod looking;

use crate::Places;
use crate::agent::{self, Request};
use crate::calls;
use crate::faults::{Doing, fault};
use crate::line::Line;
use crate::objects::{ADAPTER, DEVICE, Interfaces, Objects, Properties};
use crate::seen::Seen;
use crossbeam_channel::{Receiver, select};
use mantle_core::connecting::{
    Dialogue, JourneyNews, RadioAct, RadioDevice, RadioFault, RadioNews, RadioState, RadioTeller,
};
use std::collections::HashMap;
use std::time::{Duration, Instant};
use zbus::message::Type;
use zbus::{Message, OwnedObjectPath};

/// How often things that change all the time, such as signal strength, are reported.
const OFTEN: Duration = Duration::from_millis(400);
/// How often to check whether the radio is blocked, if it cannot be used, and whether there is a bus, if there is none.
const LOOKS: Duration = Duration::from_secs(2);

/// What is awaited, by the serial number of the request.
enum Awaited {
    /// All objects.
    Objects,
    /// Something about the device with this address.
    Of(String, Doing),
    /// Something that only matters if it fails: what it is.
    Else(&'static str),
    /// Something that may fail.
    Quiet,
}

/// What the person is asked: by which call, about which device.
struct AskedBy {
    call: Message,
    address: String,
    dialogue: Dialogue,
}

pub(crate) struct Conversation {
    places: Places,
    tell: RadioTeller,
    line: Option<Line>,
    objects: Objects,
    /// Whether the daemon has told what it knows.
    known: Result<(), RadioState>,
    awaited: HashMap<u32, Awaited>,
    /// The address of the device being paired, and whether a code was requested.
    pairing: Option<(String, bool)>,
    /// The address of a device that is to be paired once it is found: it has just been removed, or gone.
    wanted: Option<String>,
    /// Somebody has it look for devices.
    looks: bool,
    asked: Option<AskedBy>,
    /// Somebody wants to be told.
    open: bool,
    told: (Option<RadioState>, Vec<RadioDevice>),
    due: Option<Instant>,
    seen: Seen,
}

impl Conversation {
    pub fn new(places: Places, tell: RadioTeller) -> Self {
        Self {
            seen: Seen::open(places.seen.clone()),
            places,
            tell,
            line: None,
            objects: Objects::default(),
            known: Err(RadioState::Unknown),
            awaited: HashMap::new(),
            pairing: None,
            wanted: None,
            looks: false,
            asked: None,
            open: false,
            told: (None, Vec::new()),
            due: None,
        }
    }

    /// Talks until nobody wants anything any more.
    pub fn run(mut self, acts: &Receiver<RadioAct>) {
        let silent = crossbeam_channel::never();
        loop {
            let messages = self.line.as_ref().map_or_else(|| silent.clone(), |line| line.messages.clone());
            let patience = self.patience();
            let waits = patience.map_or_else(crossbeam_channel::never, crossbeam_channel::after);
            select! {
                recv(acts) -> act => match act {
                    Ok(act) => self.handle_act(act),
                    Err(_) => return,
                },
                recv(messages) -> message => match message {
                    Ok(message) => self.handle_message(&message),
                    Err(_) => self.lose_line(),
                },
                recv(waits) -> _ => self.handle_time(),
            }
            self.pair_wanted();
            self.tell_news();
        }
    }

    /// How long nothing may come before something is checked.
    fn patience(&self) -> Option<Duration> {
        let due = self.due.map(|due| due.saturating_duration_since(Instant::now()));
        let looks = (self.open && self.told.0 != Some(RadioState::Ready)).then_some(LOOKS);
        due.into_iter().chain(looks).min()
    }

    fn handle_time(&mut self) {
        if self.due.is_some_and(|due| due <= Instant::now()) {
            self.due = None;
        } else if self.open && self.line.is_none() {
            self.ask_for_all();
        }
    }

    /// The connection to the bus; made if there is none.
    fn line(&mut self) -> Option<&mut Line> {
        if self.line.is_none() {
            match Line::connect() {
                Ok(line) => {
                    self.line = Some(line);
                    for rule in calls::listen() {
                        self.send(rule, Awaited::Quiet);
                    }
                }
                Err(_) => self.known = Err(RadioState::NoService),
            }
        }
        self.line.as_mut()
    }

    fn lose_line(&mut self) {
        self.line = None;
        self.lose_daemon();
    }

    /// The daemon has gone, and with it whatever it knew and did.
    fn lose_daemon(&mut self) {
        self.objects.clear();
        self.known = Err(RadioState::NoService);
        (self.asked, self.pairing, self.looks) = (None, None, false);
        if let Some(address) = self.wanted.take() {
            (self.tell)(RadioNews::Of(address, JourneyNews::Refused(RadioFault::NoRadio)));
        }
        if let Some(line) = &mut self.line {
            (line.daemon, line.has_agent) = (None, false);
        }
        for (_, awaited) in std::mem::take(&mut self.awaited) {
            if let Awaited::Of(address, _) = awaited {
                (self.tell)(RadioNews::Of(address, JourneyNews::Refused(RadioFault::NoRadio)));
            }
        }
    }

    fn send(&mut self, message: zbus::Result<Message>, awaits: Awaited) {
        let sent = message.and_then(|message| {
            let serial = message.primary_header().serial_num().get();
            let Some(line) = &self.line else { return Err(zbus::Error::InvalidReply) };
            zbus::block_on(line.connection.send(&message)).map(|()| serial)
        });
        match (sent, awaits) {
            (Ok(serial), awaits) => drop(self.awaited.insert(serial, awaits)),
            (Err(_), Awaited::Of(address, _)) => {
                (self.tell)(RadioNews::Of(address, JourneyNews::Refused(RadioFault::NoRadio)));
            }
            (Err(_), _) => {}
        }
    }

    fn answer(&self, reply: zbus::Result<Message>) {
        if let (Some(line), Ok(reply)) = (&self.line, reply) {
            // Whoever asked and has gone needs no answer.
            let _ = zbus::block_on(line.connection.send(&reply));
        }
    }

    fn refuse(&self, call: &Message, why: &str) {
        let header = call.header();
        self.answer(Message::error(&header, why).build(&"not asked for"));
    }

    fn ask_for_all(&mut self) {
        if self.line().is_some() {
            self.send(calls::objects(), Awaited::Objects);
        }
    }

    fn handle_act(&mut self, act: RadioAct) {
        let Some(address) = act.address().map(str::to_owned) else {
            return match act {
                RadioAct::SwitchOn => self.switch_on(),
                RadioAct::Look(looks) => self.look(looks),
                // Whoever has come knows nothing yet.
                _ => {
                    (self.open, self.told) = (true, (None, Vec::new()));
                    self.ask_for_all();
                }
            };
        };
        if let RadioAct::Answer(_, answer) = act {
            return self.answer_asked(&address, answer);
        }
        if matches!(act, RadioAct::Pair(_) | RadioAct::Cancel(_)) {
            self.end_wanting();
        }
        if matches!(act, RadioAct::Pair(_)) && self.objects.device(&address).is_none() {
            return self.want(address);
        }
        let paths = self.objects.device(&address).zip(self.objects.adapter());
        let Some((path, adapter)) = paths.map(|(path, adapter)| (path.to_owned(), adapter.to_owned())) else {
            return (self.tell)(RadioNews::Of(address, JourneyNews::Refused(RadioFault::NotThere)));
        };
        let of = |doing| Awaited::Of(address.clone(), doing);
        match act {
            RadioAct::Pair(_) => {
                if self.line.as_ref().is_some_and(|line| !line.has_agent) {
                    self.send(calls::register(), Awaited::Quiet);
                    if let Some(line) = &mut self.line {
                        line.has_agent = true;
                    }
                }
                self.pairing = Some((address.clone(), false));
                self.send(calls::device(&path, "Pair"), of(Doing::Pairing { code: false }));
            }
            RadioAct::Cancel(_) => {
                self.pairing = None;
                if let Some(asked) = self.asked.take() {
                    self.refuse(&asked.call, "org.bluez.Error.Canceled");
                }
                self.send(calls::device(&path, "CancelPairing"), Awaited::Quiet);
            }
            RadioAct::Trust(_) => self.send(calls::set(&path, DEVICE, "Trusted", true), of(Doing::Else)),
            RadioAct::Link(_) => self.send(calls::device(&path, "Connect"), of(Doing::Linking)),
            RadioAct::Drop(_) => self.send(calls::device(&path, "Disconnect"), Awaited::Quiet),
            RadioAct::Forget(_) => {
                self.seen.forget(&address);
                self.send(calls::remove(&adapter, &path), of(Doing::Else));
            }
            RadioAct::Rename(_, name) => {
                self.send(
                    calls::set(&path, DEVICE, "Alias", name),
                    Awaited::Else("the device cannot be given that name"),
                );
            }
            RadioAct::Open | RadioAct::SwitchOn | RadioAct::Look(_) | RadioAct::Answer(..) => {}
        }
    }

    fn switch_on(&mut self) {
        if let Some(adapter) = self.objects.adapter().map(str::to_owned) {
            let what = "the radio cannot be switched on";
            self.send(calls::set(&adapter, ADAPTER, "Powered", true), Awaited::Else(what));
        }
    }

    fn answer_asked(&mut self, address: &str, answer: Option<String>) {
        let Some(asked) = self.asked.take().filter(|asked| asked.address == address) else { return };
        let header = asked.call.header();
        let reply = || Message::method_return(&header);
        match (answer, &asked.dialogue) {
            (None, _) => self.refuse(&asked.call, "org.bluez.Error.Rejected"),
            (Some(code), Dialogue::EnterCode) => {
                self.answer(reply().build(&code.parse::<u32>().unwrap_or_default()));
            }
            (Some(code), Dialogue::EnterPin) => self.answer(reply().build(&code)),
            (Some(_), _) => self.answer(reply().build(&())),
        }
    }

    fn handle_message(&mut self, message: &Message) {
        let header = message.header();
        match message.message_type() {
            Type::MethodCall => self.handle_call(message),
            Type::Signal => self.handle_signal(message),
            Type::MethodReturn | Type::Error => {
                let Some(serial) = header.reply_serial() else { return };
                let Some(awaited) = self.awaited.remove(&serial.get()) else { return };
                self.handle_reply(message, awaited);
            }
        }
    }

    fn handle_reply(&mut self, message: &Message, awaited: Awaited) {
        let header = message.header();
        let error = header.error_name().map(|name| {
            let text: String = message.body().deserialize().unwrap_or_default();
            (name.as_str().to_owned(), text)
        });
        match (awaited, error) {
            (Awaited::Objects, None) => {
                let sender = header.sender().map(|name| name.as_str().to_owned());
                if let Some(line) = &mut self.line {
                    line.daemon = sender;
                }
                self.objects.clear();
                let all: HashMap<OwnedObjectPath, Interfaces> = message.body().deserialize().unwrap_or_default();
                for (path, interfaces) in all {
                    self.objects.add(path.as_str(), interfaces);
                }
                self.known = Ok(());
            }
            (Awaited::Objects, Some((name, _))) => {
                let denied = name.ends_with("AccessDenied");
                self.lose_daemon();
                self.known = Err(if denied { RadioState::Denied } else { RadioState::NoService });
            }
            (Awaited::Of(address, doing), error) => {
                let doing = match (doing, &self.pairing) {
                    (Doing::Pairing { .. }, Some((own, code))) if *own == address => Doing::Pairing { code: *code },
                    _ => doing,
                };
                let ends = matches!(doing, Doing::Pairing { .. });
                if ends && self.pairing.as_ref().is_some_and(|(own, _)| *own == address) {
                    (self.pairing, self.asked) = (None, None);
                }
                let refused = error.and_then(|(name, text)| fault(doing, &name, &text));
                // What was done shows in what is known, too, and that is reported first.
                self.tell_news();
                let news = refused.map_or(JourneyNews::Done, JourneyNews::Refused);
                (self.tell)(RadioNews::Of(address, news));
            }
            (Awaited::Else(what), Some((name, text))) => {
                let why = match fault(Doing::Else, &name, &text) {
                    // It does so already.
                    None | Some(RadioFault::Busy) => return,
                    Some(RadioFault::Other(why)) => why,
                    Some(why) => why.sentence("the radio"),
                };
                (self.tell)(RadioNews::Failed(format!("{what}: {why}")));
            }
            (Awaited::Else(_) | Awaited::Quiet, _) => {}
        }
    }

    fn handle_signal(&mut self, message: &Message) {
        let header = message.header();
        let (Some(member), Some(path)) = (header.member(), header.path()) else { return };
        let body = message.body();
        match member.as_str() {
            "InterfacesAdded" => {
                let Ok((path, interfaces)) = body.deserialize::<(OwnedObjectPath, Interfaces)>() else { return };
                self.objects.add(path.as_str(), interfaces);
            }
            "InterfacesRemoved" => {
                let Ok((path, interfaces)) = body.deserialize::<(OwnedObjectPath, Vec<String>)>() else { return };
                self.objects.remove(path.as_str(), &interfaces);
            }
            "PropertiesChanged" => {
                let Ok((interface, changed, gone)) = body.deserialize::<(String, Properties, Vec<String>)>() else {
                    return;
                };
                self.objects.change(path.as_str(), &interface, changed, &gone);
            }
            "NameOwnerChanged" => {
                let Ok((_, _, owner)) = body.deserialize::<(String, String, String)>() else { return };
                self.lose_daemon();
                if !owner.is_empty() && self.open {
                    self.ask_for_all();
                }
            }
            _ => {}
        }
    }

    /// The daemon asks the agent.
    fn handle_call(&mut self, call: &Message) {
        let header = call.header();
        let is_daemon = header.sender().map(|sender| sender.as_str().to_owned())
            == self.line.as_ref().and_then(|line| line.daemon.clone());
        let is_agent = header.path().is_some_and(|path| path.as_str() == calls::AGENT);
        let Some(request) = agent::read(call).filter(|_| is_daemon && is_agent) else {
            return self.refuse(call, "org.freedesktop.DBus.Error.UnknownMethod");
        };
        match request {
            Request::Ask(path, dialogue) => {
                let Some(address) = self.is_pairing(&path) else { return self.refuse_stranger(call, &path) };
                if let Some(before) = self.asked.take() {
                    self.refuse(&before.call, "org.bluez.Error.Canceled");
                }
                if let Some((_, code)) = &mut self.pairing {
                    *code |= dialogue != Dialogue::Allow;
                }
                self.asked = Some(AskedBy { call: call.clone(), address: address.clone(), dialogue: dialogue.clone() });
                (self.tell)(RadioNews::Of(address, JourneyNews::Asked(dialogue)));
            }
            Request::Shown(path, dialogue) => {
                let Some(address) = self.is_pairing(&path) else { return self.refuse_stranger(call, &path) };
                if let Some((_, code)) = &mut self.pairing {
                    *code = true;
                }
                self.acknowledge(call);
                (self.tell)(RadioNews::Of(address, JourneyNews::Asked(dialogue)));
            }
            Request::Service(path) => match self.is_pairing(&path).is_some() || self.objects.is_paired(&path) {
                true => self.acknowledge(call),
                false => self.refuse_stranger(call, &path),
            },
            Request::Cancel => {
                self.asked = None;
                self.acknowledge(call);
            }
            Request::Release => {
                self.acknowledge(call);
                if let Some(line) = &mut self.line {
                    line.has_agent = false;
                }
            }
        }
    }

    fn acknowledge(&self, call: &Message) {
        let header = call.header();
        self.answer(Message::method_return(&header).build(&()));
    }

    /// The address of the device with a path, if it is the one being paired.
    fn is_pairing(&self, path: &str) -> Option<String> {
        let address = self.objects.address(path)?;
        self.pairing.as_ref().filter(|(own, _)| *own == address)?;
        Some(address)
    }

    /// Whatever is not being paired by this program is refused, and reported.
    fn refuse_stranger(&self, call: &Message, path: &str) {
        self.refuse(call, "org.bluez.Error.Rejected");
        (self.tell)(RadioNews::Stranger(self.objects.name(path)));
    }

    /// Reports news: at once what matters, now and then what changes all the time.
    fn tell_news(&mut self) {
        if !self.open {
            return;
        }
        let state = match &self.known {
            Ok(()) => self.objects.state(&self.places.sys),
            Err(RadioState::Unknown) => return,
            Err(state) => state.clone(),
        };
        if self.told.0.as_ref() != Some(&state) {
            self.told = (Some(state.clone()), Vec::new());
            (self.tell)(RadioNews::State(state.clone()));
        }
        if state != RadioState::Ready {
            return;
        }
        let devices = self.objects.devices(&self.seen);
        if devices == self.told.1 {
            return;
        }
        let matters = |all: &[RadioDevice]| -> Vec<(String, String, bool, bool, bool)> {
            let of = |one: &RadioDevice| (one.address.clone(), one.name.clone(), one.paired, one.trusted, one.linked);
            all.iter().map(of).collect()
        };
        if matters(&devices) == matters(&self.told.1) && self.due.is_some() {
            return;
        }
        self.due = Some(Instant::now() + OFTEN);
        // Who comes or goes is seen now.
        let linked = |all: &[RadioDevice], address: &str| all.iter().any(|one| one.address == address && one.linked);
        let turned: Vec<String> = devices
            .iter()
            .filter(|one| one.paired && one.linked != linked(&self.told.1, &one.address))
            .map(|one| one.address.clone())
            .collect();
        turned.iter().for_each(|address| self.seen.now(address));
        // When they were seen is part of the report.
        let devices = if turned.is_empty() { devices } else { self.objects.devices(&self.seen) };
        (self.tell)(RadioNews::Devices(devices.clone()));
        self.told.1 = devices;
    }
}
