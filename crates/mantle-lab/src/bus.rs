//! A bus of the test's own, with a desktop that shows notifications, a login manager that sends the machine to sleep, a daemon that grants real-time
//! priority, and a Bluetooth daemon that knows batteries: stand-ins for what a session has.

use crossbeam_channel::{Receiver, Sender, unbounded};
use rustix::pipe::{PipeFlags, pipe_with};
use std::collections::HashMap;
use std::io::{BufRead, BufReader, Read};
use std::process::{Child, Command, Stdio};
use zbus::interface;

/// What is asked of the stand-ins.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Asked {
    /// A notification is shown: its number, the one that it replaces or 0, its urgency from 0 to 2, title and text.
    Notify {
        /// The number that it got.
        number: u32,
        /// The number of the one that it replaces.
        replaces: u32,
        /// 0 low, 1 normal, 2 critical.
        urgency: u8,
        /// The title.
        title: String,
        /// The text, with its characters unescaped.
        text: String,
    },
    /// A notification is withdrawn.
    Close(u32),
    /// Somebody keeps the machine awake: from what, and how.
    Inhibit(String, String),
    /// They do so no longer.
    Released,
    /// Real-time priority is requested: the process, the thread, the level.
    Raise(u64, u64, u32),
}

struct Desktop {
    asked: Sender<Asked>,
    last: u32,
    refuses: bool,
}

#[interface(name = "org.freedesktop.Notifications")]
impl Desktop {
    #[allow(clippy::too_many_arguments, reason = "the specification has them")]
    fn notify(
        &mut self,
        _program: &str,
        replaces: u32,
        _icon: &str,
        title: &str,
        text: &str,
        _actions: Vec<String>,
        hints: HashMap<String, zbus::OwnedVariant>,
        _timeout: i32,
    ) -> zbus::fdo::Result<u32> {
        if self.refuses {
            return Err(zbus::fdo::Error::Failed("this desktop shows nothing".into()));
        }
        self.last += u32::from(replaces == 0);
        let number = if replaces == 0 { self.last } else { replaces };
        let urgency = hints.get("urgency").and_then(|urgency| u8::try_from(urgency).ok()).unwrap_or(1);
        let (title, text) = (title.to_owned(), text.to_owned());
        let _ = self.asked.send(Asked::Notify { number, replaces, urgency, title, text });
        Ok(number)
    }

    fn close_notification(&self, number: u32) {
        let _ = self.asked.send(Asked::Close(number));
    }
}

struct LoginManager {
    asked: Sender<Asked>,
}

#[interface(name = "org.freedesktop.login1.Manager")]
impl LoginManager {
    fn inhibit(&self, what: &str, _who: &str, _why: &str, mode: &str) -> zbus::fdo::Result<zbus::OwnedFd> {
        let failed = |error: rustix::io::Errno| zbus::fdo::Error::Failed(error.to_string());
        let (read, write) = pipe_with(PipeFlags::CLOEXEC).map_err(failed)?;
        let _ = self.asked.send(Asked::Inhibit(what.to_owned(), mode.to_owned()));
        let asked = self.asked.clone();
        std::thread::spawn(move || {
            // It ends when the other end has been closed everywhere.
            let _ = std::fs::File::from(read).read_to_end(&mut Vec::new());
            let _ = asked.send(Asked::Released);
        });
        Ok(zbus::OwnedFd::from(write))
    }

    #[zbus(signal)]
    async fn prepare_for_sleep(emitter: &zbus::object_server::SignalEmitter<'_>, sleeps: bool) -> zbus::Result<()>;
}

struct RealTime {
    asked: Sender<Asked>,
    refuses: bool,
}

#[interface(name = "org.freedesktop.RealtimeKit1")]
impl RealTime {
    #[zbus(name = "MakeThreadRealtimeWithPID")]
    fn raise(&self, process: u64, thread: u64, level: u32) -> zbus::fdo::Result<()> {
        let _ = self.asked.send(Asked::Raise(process, thread, level));
        if self.refuses { Err(zbus::fdo::Error::AccessDenied("not for you".into())) } else { Ok(()) }
    }
}

/// The part of the Bluetooth daemon that is used here: devices, and the charge of their batteries.
struct Radio;

type Properties = HashMap<String, zbus::OwnedVariant>;

#[interface(name = "org.freedesktop.DBus.ObjectManager")]
impl Radio {
    fn get_managed_objects(&self) -> HashMap<zbus::OwnedObjectPath, HashMap<String, Properties>> {
        let text = |value: &str| zbus::Variant::from(value).try_into().expect("a text");
        let device = |address: &str| Properties::from([("Address".to_owned(), text(address))]);
        let battery = |percent: u8| {
            let percent = zbus::Variant::from(percent).try_into().expect("a number");
            Properties::from([("Percentage".to_owned(), percent)])
        };
        let object = |name: &str, address: &str, percent: Option<u8>| {
            let path = format!("/org/bluez/hci0/{name}").try_into().expect("a path");
            let mut interfaces = HashMap::from([("org.bluez.Device1".to_owned(), device(address))]);
            interfaces.extend(percent.map(|percent| ("org.bluez.Battery1".to_owned(), battery(percent))));
            (path, interfaces)
        };
        HashMap::from([
            object("dev_1", "A4:0B:11:22:33:44", Some(37)),
            object("dev_2", "A4:0B:11:22:33:45", None),
            object("dev_3", "A4:0B:11:22:33:46", Some(180)),
        ])
    }
}

/// A bus with nobody on it, and its address; the caller ends it.
pub(crate) fn daemon() -> Result<(Child, String), String> {
    let mut daemon = Command::new("dbus-daemon")
        .args(["--session", "--nofork", "--print-address"])
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .map_err(|error| format!("dbus-daemon: {error}"))?;
    let mut address = String::new();
    let out = daemon.stdout.take().ok_or("no output")?;
    BufReader::new(out).read_line(&mut address).map_err(|error| format!("dbus-daemon: {error}"))?;
    Ok((daemon, address.trim().to_owned()))
}

/// The bus, as a session bus and as the system bus; it ends with this.
#[derive(Debug)]
pub struct Bus {
    daemon: Child,
    /// Its address: for `DBUS_SESSION_BUS_ADDRESS` and `DBUS_SYSTEM_BUS_ADDRESS`.
    pub address: String,
    connection: zbus::Connection,
    /// What is asked, in its order.
    pub asked: Receiver<Asked>,
}

impl Bus {
    /// A bus with all of them on it; `gives` says whether they do as they are asked.
    ///
    /// # Errors
    /// When there is no `dbus-daemon`, or it does not start.
    pub fn start(gives: bool) -> Result<Self, String> {
        let (mut daemon, address) = daemon()?;
        let (give, asked) = unbounded();
        let desktop = Desktop { asked: give.clone(), last: 0, refuses: !gives };
        let real_time = RealTime { asked: give.clone(), refuses: !gives };
        let made = zbus::block_on(async {
            let builder = zbus::connection::Builder::address(address.as_str());
            let builder = builder
                .name("org.freedesktop.Notifications")
                .name("org.freedesktop.login1")
                .name("org.freedesktop.RealtimeKit1")
                .name("org.bluez");
            let builder = builder.serve_at("/", Radio);
            let builder = builder.serve_at("/org/freedesktop/Notifications", desktop);
            let builder = builder.serve_at("/org/freedesktop/RealtimeKit1", real_time);
            builder.serve_at("/org/freedesktop/login1", LoginManager { asked: give }).build().await
        });
        match made {
            Ok(connection) => Ok(Self { daemon, address, connection, asked }),
            Err(error) => {
                let _ = daemon.kill();
                Err(format!("the stand-ins: {error}"))
            }
        }
    }

    /// What is asked next.
    ///
    /// # Errors
    /// When nothing is, within the deadline.
    pub fn next(&self) -> Result<Asked, String> {
        self.asked.recv_timeout(crate::DEADLINE).map_err(|_| "nothing was asked of the bus".into())
    }

    /// The machine is about to sleep, or has woken.
    ///
    /// # Errors
    /// When the bus is gone.
    pub fn sleep(&self, sleeps: bool) -> Result<(), String> {
        let done = zbus::block_on(async {
            let emitter = zbus::object_server::SignalEmitter::new(&self.connection, "/org/freedesktop/login1")?;
            LoginManager::prepare_for_sleep(&emitter, sleeps).await
        });
        done.map_err(|error| error.to_string())
    }
}

impl Drop for Bus {
    fn drop(&mut self) {
        let _ = self.daemon.kill();
        let _ = self.daemon.wait();
    }
}
