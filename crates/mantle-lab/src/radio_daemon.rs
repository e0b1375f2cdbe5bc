//! A stand-in for the Bluetooth daemon, on a bus of the test's own: an adapter, devices, pairing with every kind of code, and everything that can go
//! wrong.

use std::collections::{BTreeMap, HashMap};
use std::future::poll_fn;
use std::pin::Pin;
use std::process::Child;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use zbus::export::futures_core::Stream;
use zbus::message::Type;
use zbus::{Connection, Message, MessageStream, OwnedObjectPath, OwnedVariant, Variant};

const NAME: &str = "org.bluez";
const ADAPTER: &str = "org.bluez.Adapter1";
const DEVICE: &str = "org.bluez.Device1";
const PROPERTIES: &str = "org.freedesktop.DBus.Properties";
/// Where its adapter is.
const PLACE: &str = "/org/bluez/hci0";

type Properties = HashMap<String, OwnedVariant>;
type Interfaces = HashMap<String, Properties>;

/// What happens when a device is paired.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Pairs {
    /// It is paired without a question.
    Silently,
    /// Two codes are compared.
    Compare(u32),
    /// A code is shown, typed on the device digit by digit.
    Shown(u32),
    /// The code that the device shows is requested.
    Enter(u32),
    /// The device's own code is requested.
    Pin(String),
    /// It is asked whether it may.
    Allow,
    /// It fails with this error and this text.
    Fails(&'static str, &'static str),
    /// Nothing ever comes back.
    Never,
}

#[derive(Default)]
struct Known {
    objects: BTreeMap<String, Interfaces>,
    pairs: BTreeMap<String, Pairs>,
    /// The error with which everything is refused, if it is.
    refuses: Option<&'static str>,
    agent: Option<(String, String)>,
    /// What was asked, in its order.
    asked: Vec<String>,
    /// Pairings that wait for the agent: by the serial number of its request, the call, and what it has to answer.
    waits: HashMap<u32, (Message, String, Pairs)>,
    /// The answer to a question that nobody had a reason for.
    stranger: Option<(u32, Option<String>)>,
}

/// The daemon, and the bus that it is on; both end with this.
pub struct RadioDaemon {
    bus: Child,
    /// The bus' address: for `DBUS_SYSTEM_BUS_ADDRESS`.
    pub address: String,
    known: Arc<Mutex<Known>>,
    connection: Option<Connection>,
}

impl std::fmt::Debug for RadioDaemon {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("RadioDaemon").field("address", &self.address).finish_non_exhaustive()
    }
}

fn value(of: Variant<'_>) -> OwnedVariant {
    OwnedVariant::try_from(of).expect("it has no descriptor")
}

/// The path of a device.
#[must_use]
pub fn path_of(address: &str) -> String {
    format!("{PLACE}/dev_{}", address.replace(':', "_"))
}

impl RadioDaemon {
    /// A bus without a daemon on it yet.
    ///
    /// # Errors
    /// When there is no `dbus-daemon`, or it does not start.
    pub fn bus() -> Result<Self, String> {
        let (bus, address) = crate::bus::daemon()?;
        Ok(Self { bus, address, known: Arc::default(), connection: None })
    }

    fn known(&self) -> std::sync::MutexGuard<'_, Known> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The daemon comes, or comes again: it knows what it is told, and whoever was its agent is not any more.
    ///
    /// # Errors
    /// What the bus says.
    pub fn start(&mut self) -> Result<(), String> {
        self.known().agent = None;
        let address = self.address.clone();
        let connection = zbus::block_on(async {
            let connection = zbus::connection::Builder::address(address.as_str()).build().await?;
            Ok::<_, zbus::Error>(connection)
        })
        .map_err(|error| error.to_string())?;
        let mut stream = MessageStream::from(&connection);
        let (known, own) = (self.known.clone(), connection.clone());
        std::thread::spawn(move || {
            zbus::block_on(async {
                while let Some(Ok(message)) = poll_fn(|context| Pin::new(&mut stream).poll_next(context)).await {
                    let out = known.lock().unwrap_or_else(PoisonError::into_inner).handle(&message);
                    for message in out {
                        let _ = own.send(&message).await;
                    }
                }
            });
        });
        zbus::block_on(connection.request_name(NAME)).map_err(|error| error.to_string())?;
        self.connection = Some(connection);
        Ok(())
    }

    /// The daemon goes; what it knows is kept until it returns.
    pub fn stop(&mut self) {
        if let Some(connection) = self.connection.take() {
            let _ = zbus::block_on(connection.close());
        }
    }

    fn send(&self, message: zbus::Result<Message>) -> Option<u32> {
        let (connection, message) = (self.connection.as_ref()?, message.ok()?);
        zbus::block_on(connection.send(&message)).ok()?;
        Some(message.primary_header().serial_num().get())
    }

    /// An object appears, with these properties of one of its interfaces.
    pub fn put(&self, path: &str, interface: &str, properties: Vec<(&str, Variant<'_>)>) {
        let properties: Properties = properties.into_iter().map(|(key, of)| (key.to_owned(), value(of))).collect();
        let of = |properties: &Properties| -> Properties {
            properties.iter().filter_map(|(key, of)| Some((key.clone(), of.try_clone().ok()?))).collect()
        };
        let told = HashMap::from([(interface.to_owned(), of(&properties))]);
        self.known().objects.entry(path.to_owned()).or_default().insert(interface.to_owned(), properties);
        let path = OwnedObjectPath::try_from(path).expect("a path");
        self.send(Message::signal("/", "org.freedesktop.DBus.ObjectManager", "InterfacesAdded").build(&(path, told)));
    }

    /// The adapter appears, switched on or off.
    pub fn adapter(&self, powered: bool) {
        self.put(PLACE, ADAPTER, vec![("Address", "02:00:00:00:00:FE".into()), ("Powered", powered.into())]);
    }

    /// A device is there.
    pub fn device(&self, address: &str, name: &str, more: Vec<(&str, Variant<'_>)>) {
        let mut all: Vec<(&str, Variant<'_>)> = vec![
            ("Address", address.into()),
            ("Alias", name.into()),
            ("Paired", false.into()),
            ("Trusted", false.into()),
            ("Connected", false.into()),
        ];
        all.extend(more);
        self.put(&path_of(address), DEVICE, all);
    }

    /// What happens when a device is paired.
    pub fn pairs(&self, address: &str, how: Pairs) {
        self.known().pairs.insert(path_of(address), how);
    }

    /// An object goes.
    pub fn remove(&self, path: &str) {
        let Some(interfaces) = self.known().objects.remove(path) else { return };
        let path = OwnedObjectPath::try_from(path).expect("a path");
        let names: Vec<String> = interfaces.into_keys().collect();
        let signal = Message::signal("/", "org.freedesktop.DBus.ObjectManager", "InterfacesRemoved");
        self.send(signal.build(&(path, names)));
    }

    /// The adapter goes, and its devices with it.
    pub fn remove_adapter(&self) {
        let paths: Vec<String> = self.known().objects.keys().filter(|path| *path != PLACE).cloned().collect();
        paths.iter().for_each(|path| self.remove(path));
        self.remove(PLACE);
    }

    /// A property changes.
    pub fn set(&self, path: &str, interface: &str, name: &str, of: Variant<'_>) {
        let message = self.known().change(path, interface, name, value(of));
        self.send(Ok(message));
    }

    /// Everything is refused from now on, with this error; or no longer.
    pub fn refuse(&self, error: Option<&'static str>) {
        self.known().refuses = error;
    }

    /// The requests so far, in order.
    #[must_use]
    pub fn asked(&self) -> Vec<String> {
        self.known().asked.clone()
    }

    /// Waits until this has been asked.
    ///
    /// # Errors
    /// What has been asked instead.
    pub fn wait(&self, what: &str) -> Result<(), String> {
        let until = Instant::now() + crate::DEADLINE;
        while Instant::now() < until {
            if self.known().asked.iter().any(|asked| asked.contains(what)) {
                return Ok(());
            }
            std::thread::sleep(Duration::from_millis(5));
        }
        Err(format!("{what} was not asked: {:?}", self.asked()))
    }

    /// A device asks the registered agent whether it may be paired, though nobody has asked for it; the error that it gets, none if it may.
    ///
    /// # Errors
    /// When there is no agent, or it does not answer.
    pub fn ask_agent(&self, address: &str) -> Result<Option<String>, String> {
        let (owner, agent) = self.known().agent.clone().ok_or("there is no agent")?;
        let device = OwnedObjectPath::try_from(path_of(address)).expect("a path");
        let call = Message::method_call(agent.as_str(), "RequestAuthorization").destination(owner.as_str());
        let call = call.interface("org.bluez.Agent1").build(&device).map_err(|error| error.to_string())?;
        let serial = call.primary_header().serial_num().get();
        self.known().stranger = Some((serial, None));
        self.known().asked.retain(|asked| asked != "stranger answered");
        self.send(Ok(call));
        self.wait("stranger answered")?;
        Ok(self.known().stranger.take().and_then(|(_, error)| error))
    }
}

impl Known {
    fn change(&mut self, path: &str, interface: &str, name: &str, of: OwnedVariant) -> Message {
        let changed: Properties = HashMap::from([(name.to_owned(), of.try_clone().expect("a value"))]);
        if let Some(own) = self.objects.get_mut(path).and_then(|own| own.get_mut(interface)) {
            own.insert(name.to_owned(), of);
        }
        let signal = Message::signal(path, PROPERTIES, "PropertiesChanged");
        signal.build(&(interface, changed, Vec::<String>::new())).expect("a signal")
    }

    fn handle(&mut self, message: &Message) -> Vec<Message> {
        match message.message_type() {
            Type::MethodCall => self.handle_call(message),
            Type::MethodReturn | Type::Error => self.handle_reply(message),
            Type::Signal => Vec::new(),
        }
    }

    fn handle_call(&mut self, call: &Message) -> Vec<Message> {
        let header = call.header();
        let (Some(path), Some(member)) = (header.path(), header.member()) else { return Vec::new() };
        let (path, member) = (path.as_str().to_owned(), member.as_str().to_owned());
        let done = || Message::method_return(&header).build(&()).expect("a reply");
        let error = |name: &str, text: &str| Message::error(&header, name).build(&text).expect("an error");
        if let Some(refuses) = self.refuses {
            return vec![error(refuses, "not for you")];
        }
        let mut asked = format!("{member} {}", path.rsplit('/').next().unwrap_or_default());
        match member.as_str() {
            "GetManagedObjects" => {
                self.asked.push(asked);
                let copy = |own: &Properties| -> Properties {
                    own.iter().filter_map(|(key, of)| Some((key.clone(), of.try_clone().ok()?))).collect()
                };
                let all: HashMap<OwnedObjectPath, Interfaces> = self
                    .objects
                    .iter()
                    .map(|(path, own)| {
                        let own = own.iter().map(|(name, own)| (name.clone(), copy(own))).collect();
                        (OwnedObjectPath::try_from(path.as_str()).expect("a path"), own)
                    })
                    .collect();
                vec![Message::method_return(&header).build(&all).expect("a reply")]
            }
            "RegisterAgent" => {
                let (agent, can): (OwnedObjectPath, String) = call.body().deserialize().expect("an agent");
                let owner = header.sender().map(|sender| sender.as_str().to_owned()).unwrap_or_default();
                self.agent = Some((owner, agent.as_str().to_owned()));
                self.asked.push(format!("{asked} {can}"));
                vec![done()]
            }
            "Set" => {
                let (interface, name, of): (String, String, OwnedVariant) =
                    call.body().deserialize().expect("a property");
                self.asked.push(format!("{asked} {name}"));
                vec![self.change(&path, &interface, &name, of), done()]
            }
            "Connect" | "Disconnect" => {
                self.asked.push(asked);
                let connected = member == "Connect";
                vec![self.change(&path, DEVICE, "Connected", value(connected.into())), done()]
            }
            "RemoveDevice" => {
                let device: OwnedObjectPath = call.body().deserialize().expect("a path");
                asked.push_str(&format!(" {}", device.as_str().rsplit('/').next().unwrap_or_default()));
                self.asked.push(asked);
                let mut out = vec![done()];
                if let Some(interfaces) = self.objects.remove(device.as_str()) {
                    let names: Vec<String> = interfaces.into_keys().collect();
                    let signal = Message::signal("/", "org.freedesktop.DBus.ObjectManager", "InterfacesRemoved");
                    out.insert(0, signal.build(&(device, names)).expect("a signal"));
                }
                out
            }
            "Pair" => {
                self.asked.push(asked);
                match self.pairs.get(&path).cloned().unwrap_or(Pairs::Silently) {
                    Pairs::Silently => self.paired(call, &path),
                    Pairs::Fails(name, text) => vec![error(name, text)],
                    Pairs::Never => Vec::new(),
                    how => self.ask(call, &path, how),
                }
            }
            _ => {
                self.asked.push(asked);
                vec![done()]
            }
        }
    }

    fn paired(&mut self, call: &Message, path: &str) -> Vec<Message> {
        let header = call.header();
        let connected = self.change(path, DEVICE, "Connected", value(true.into()));
        let paired = self.change(path, DEVICE, "Paired", value(true.into()));
        vec![connected, paired, Message::method_return(&header).build(&()).expect("a reply")]
    }

    /// The agent is asked.
    fn ask(&mut self, call: &Message, path: &str, how: Pairs) -> Vec<Message> {
        let header = call.header();
        let Some((owner, agent)) = self.agent.clone() else {
            return vec![
                Message::error(&header, "org.bluez.Error.AuthenticationFailed").build(&"no agent").expect("an error"),
            ];
        };
        let device = OwnedObjectPath::try_from(path).expect("a path");
        let of = |member: &'static str| {
            Message::method_call(agent.as_str(), member).destination(owner.as_str()).interface("org.bluez.Agent1")
        };
        let asked = match &how {
            Pairs::Compare(code) => vec![of("RequestConfirmation").build(&(device, *code))],
            Pairs::Shown(code) => {
                (0..=6u16).map(|typed| of("DisplayPasskey").build(&(&device, *code, typed))).collect()
            }
            Pairs::Enter(_) => vec![of("RequestPasskey").build(&device)],
            Pairs::Pin(_) => vec![of("RequestPinCode").build(&device)],
            _ => vec![of("RequestAuthorization").build(&device)],
        };
        let asked: Vec<Message> = asked.into_iter().map(|asked| asked.expect("a call")).collect();
        let serial = asked.last().map_or(0, |asked| asked.primary_header().serial_num().get());
        self.waits.insert(serial, (call.clone(), path.to_owned(), how));
        asked
    }

    fn handle_reply(&mut self, message: &Message) -> Vec<Message> {
        let header = message.header();
        let serial = header.reply_serial().map_or(0, std::num::NonZeroU32::get);
        let refused = header.error_name().map(|name| name.as_str().to_owned());
        if let Some((own, error)) = &mut self.stranger
            && *own == serial
        {
            *error = refused.clone();
            self.asked.push("stranger answered".into());
        }
        let Some((call, path, how)) = self.waits.remove(&serial) else { return Vec::new() };
        let right = match &how {
            Pairs::Enter(code) => message.body().deserialize::<u32>().is_ok_and(|typed| typed == *code),
            Pairs::Pin(code) => message.body().deserialize::<String>().is_ok_and(|typed| typed == *code),
            _ => true,
        };
        let header = call.header();
        let error = |name: &str| vec![Message::error(&header, name).build(&"").expect("an error")];
        match (refused, right) {
            (Some(name), _) if name.ends_with("Canceled") => error("org.bluez.Error.AuthenticationCanceled"),
            (Some(_), _) => error("org.bluez.Error.AuthenticationRejected"),
            (None, false) => error("org.bluez.Error.AuthenticationFailed"),
            (None, true) => self.paired(&call, &path),
        }
    }
}

impl Drop for RadioDaemon {
    fn drop(&mut self) {
        self.stop();
        let _ = self.bus.kill();
        let _ = self.bus.wait();
    }
}
