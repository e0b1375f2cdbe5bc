//! The command line.

use crate::case_args::CaseArgs;
use crate::pack_args::{PackArgs, UnpackArgs};
use crate::profile_args::{PadVerb, ProfileVerb};
use crate::recording_args::{GetArgs, RecordArgs, ReplayArgs, SendArgs};
use crate::screen_args::ScreenArgs;
use clap::{Args, Parser, Subcommand};
use std::ffi::OsString;
use std::path::PathBuf;

/// Makes controllers that games do not understand appear as standard gamepads, one per player slot.
#[derive(Parser, Debug)]
#[command(
    name = "placid-mantle",
    version = concat!(env!("CARGO_PKG_VERSION"), " (commit ", env!("PLACID_MANTLE_COMMIT"), "; uinput, uhid, hidraw, evdev, Bluetooth, D-Bus)"),
    after_help = "Without a command: opens a screen for the running engine, or, if there is none, starts one."
)]
pub struct Cli {
    /// What to do.
    #[command(subcommand)]
    pub verb: Option<Verb>,
    /// How the screen is drawn.
    #[command(flatten)]
    pub screen: ScreenArgs,
}

/// What to do.
#[derive(Subcommand, Debug)]
pub enum Verb {
    /// Try the program with made-up devices: the Tidewater games evening
    Demo(DemoArgs),
    /// Read the connected controllers and publish a pad for each player
    Run(RunArgs),
    /// Run the engine without a screen until it is stopped; screens can be opened and closed meanwhile
    Serve(ServeArgs),
    /// Show one slot's pad, live, in a small terminal (40x10 cells or more)
    Strip(StripArgs),
    /// Start the engine at login, without a window
    Service {
        /// What to do
        #[command(subcommand)]
        act: ServiceVerb,
    },
    /// Show a recipe: from what you have to what you want, key by key; without a name, list them
    Recipe {
        /// Its name, or a part of it
        name: Option<String>,
        /// Open the demo on the table that the recipe is tried on, with its steps below
        #[arg(long = "try", requires = "name")]
        to_try: bool,
        /// How the screen is drawn.
        #[command(flatten)]
        screen: ScreenArgs,
    },
    /// Take a guided tour of five minutes, in the demo; each step waits for your own presses
    Tour(ScreenArgs),
    /// Show the engine's slots and devices
    Status {
        /// One JSON object, for scripts
        #[arg(long)]
        json: bool,
    },
    /// Show what a game would see on this machine, node by node, and who has what open
    Sight {
        /// One JSON object, for scripts
        #[arg(long)]
        json: bool,
        /// Inspect this running program, by process number
        #[arg(long, value_name = "PID")]
        process: Option<u32>,
    },
    /// Start a game once its pads are ready, with its rule applied; afterwards everything is as before
    Play(PlayArgs),
    /// Stay inside a game's private /dev; only started by `play`
    #[command(hide = true)]
    InPrivate {
        /// The game
        #[arg(last = true)]
        command: Vec<OsString>,
    },
    /// Find devices, or connect one by radio
    Connect(ConnectArgs),
    /// Place a device in a slot of the running engine
    Place(PlaceArgs),
    /// Lend a device the slot of an absent device; it is given back automatically
    Lend {
        /// The device: its name, or a unique part of it
        device: String,
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
    },
    /// Make a device rumble and blink, to find it
    Find {
        /// The device: its name, or a unique part of it
        device: String,
    },
    /// Change the kind of pad of a slot
    Kind {
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
        /// `common pad`, `flight stick`, `motion pad`, `keys`, or the name of a pad of your own
        kind: String,
        /// Make a common pad a device of its own: a browser can list several of those
        #[arg(long)]
        apart: bool,
    },
    /// Set how strongly the devices of a slot rumble
    Rumble {
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
        /// Percent of what games ask for, from 0 (off) to 200
        #[arg(value_parser = clap::value_parser!(u8).range(0..=200))]
        percent: u8,
    },
    /// Set what the lamps of a slot's devices show
    Lamp {
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
        /// `slot`, `battery`, `off`, or a colour such as `#ff8000`
        shows: String,
    },
    /// Tie a device to a slot: several devices, one player
    Tie {
        /// The device: its name, or a unique part of it
        device: String,
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
    },
    /// Untie a device from a slot
    Untie {
        /// The device: its name, or a part of it that is unique in the slot; it may be disconnected
        device: String,
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
    },
    /// Say that a device is a slot's own, in another mode or over another link; without `--slot` it is separate again
    SameDevice {
        /// The device: its name, or a unique part of it
        device: String,
        /// The slot, 1 to 8
        #[arg(long)]
        slot: Option<u8>,
    },
    /// Swap two slots of the running engine
    Swap {
        /// One slot, 1 to 8
        one: u8,
        /// The other slot
        other: u8,
    },
    /// Empty a slot
    TakeOut {
        /// The slot, 1 to 8
        slot: u8,
    },
    /// Choose the profile of a slot
    UseProfile {
        /// The slot, 1 to 8
        slot: u8,
        /// The profile's name
        profile: String,
    },
    /// Give a device a nickname; without a name, remove it
    Nickname {
        /// The device: its name, or a unique part of it
        device: String,
        /// Your name for it
        name: Option<String>,
    },
    /// Lock the table: no device gets a slot unasked
    Lock,
    /// Unlock the table
    Unlock,
    /// For one minute, the next device without a slot that presses a button gets one
    SitDown {
        /// Two buttons held together do it at any time, on or off
        #[arg(long, value_name = "on|off")]
        by_two: Option<OnOff>,
    },
    /// Pause a slot's pad
    Pause {
        /// The slot, 1 to 8
        slot: u8,
    },
    /// Resume a slot, or everything after `let-go`
    Resume {
        /// The slot, 1 to 8; if absent, everything
        slot: Option<u8>,
    },
    /// Release everything that is held, and rest all pads
    LetGo,
    /// Stop the running engine: its pads disappear, its devices are given back
    Stop,
    /// Show or change general settings: how long slots are kept, limits, notifications
    Settings {
        /// The setting, such as `limits.battery`; if absent, all are shown
        key: Option<String>,
        /// Its new value
        value: Option<String>,
    },
    /// Record a device's raw reports to a file
    Record(RecordArgs),
    /// Send an output or feature report to a device, byte for byte
    Send(SendArgs),
    /// Read a feature report from a device
    Get(GetArgs),
    /// Play a recording as if its device were connected
    Replay(ReplayArgs),
    /// List the connected devices
    Devices {
        /// One JSON array, for scripts
        #[arg(long)]
        json: bool,
    },
    /// Show what on this machine keeps you from playing, and what mends it
    Readiness {
        /// As JSON, for scripts
        #[arg(long)]
        json: bool,
        /// Ask about each finding that can be mended from here, and mend it (as root)
        #[arg(long, conflicts_with = "json")]
        fix: bool,
    },
    /// Let an ordinary account make pads and read controllers: print the udev rule, or install it as root
    Setup(SetupArgs),
    /// Hide devices for an engine run by root, and give them back when it is gone; only started by it
    #[command(hide = true)]
    Guard,
    /// Uncover devices that an earlier run left covered
    Uncover {
        /// Every device; this is the default
        #[arg(long)]
        all: bool,
    },
    /// Explain a recording or a report descriptor
    Inspect(InspectArgs),
    /// List, create, copy, rename, delete, compare, import and export profiles
    Profile {
        /// What to do
        #[command(subcommand)]
        act: ProfileVerb,
    },
    /// List, create and check pads of your own
    Pad {
        /// What to do
        #[command(subcommand)]
        act: PadVerb,
    },
    /// Export the layout card of a profile on a device, as SVG and PDF
    Card(DrawArgs),
    /// Export the response curves of a profile, as SVG and PDF
    Curves(DrawArgs),
    /// Export a report of a device, two pages for its owner: what it is, how healthy it is, what it plays
    Report(ReportArgs),
    /// Print the common game library's mapping line for our pads
    Mapping,
    /// Write a case file, which explains your table to somebody far away; or open one that was sent to you
    Case(CaseArgs),
    /// Pack sheets, profiles, pad files and cards into one file to share
    Pack(PackArgs),
    /// Show what is in such a file, or extract it
    Unpack(UnpackArgs),
}

/// Arguments of `demo`.
#[derive(Args, Debug)]
pub struct DemoArgs {
    /// A scene's name, or the path of a scene file
    #[arg(long, value_name = "NAME|PATH")]
    pub scene: Option<String>,
    /// List the scenes
    #[arg(long)]
    pub scenes: bool,
    /// No screen: print one line per frame that a pad would send
    #[arg(long, requires = "seconds")]
    pub headless: bool,
    /// Seconds of the scene to play, as fast as possible
    #[arg(long = "for", value_name = "SECONDS", requires = "headless")]
    pub seconds: Option<f64>,
    /// How the screen is drawn.
    #[command(flatten)]
    pub screen: ScreenArgs,
}

/// Arguments of `run`.
#[derive(Args, Debug)]
pub struct RunArgs {
    /// No screen: log to standard output
    #[arg(long)]
    pub headless: bool,
    /// With --headless: print one line per frame of a pad, and per key typed, as `demo --headless` does
    #[arg(long, requires = "headless")]
    pub frames: bool,
    /// Do not hide devices from games
    #[arg(long)]
    pub bare: bool,
    /// How the screen is drawn.
    #[command(flatten)]
    pub screen: ScreenArgs,
}

/// Arguments of `serve`.
#[derive(Args, Debug)]
pub struct ServeArgs {
    /// Use a simulated world instead of this machine's devices: a scene's name, or the path of a scene file
    #[arg(long, value_name = "NAME|PATH")]
    pub scene: Option<String>,
    /// Do not hide devices from games
    #[arg(long, conflicts_with = "scene")]
    pub bare: bool,
}

/// Arguments of `play`.
#[derive(Args, Debug)]
pub struct PlayArgs {
    /// The slots to wait for, such as 1,2; if absent, all that are in use
    #[arg(long, value_name = "SLOTS", value_delimiter = ',')]
    pub slots: Vec<u8>,
    /// Their profile while the game runs
    #[arg(long, value_name = "NAME")]
    pub profile: Option<String>,
    /// Show the game our pads, mice and keyboards, but no other controllers
    #[arg(long)]
    pub private: bool,
    /// Show the game everything, even if a held device would be listed as a dead pad
    #[arg(long, conflicts_with = "private")]
    pub shared: bool,
    /// Only print the environment the game would get, for a launcher of your own
    #[arg(long)]
    pub print: bool,
    /// The game's command, after two dashes
    #[arg(last = true, value_name = "COMMAND")]
    pub command: Vec<OsString>,
}

/// Arguments of `connect`.
#[derive(Args, Debug)]
#[allow(clippy::struct_excessive_bools, reason = "each is an option of its own")]
pub struct ConnectArgs {
    /// The device: its address, or a unique part of its name; if absent, devices are listed as they are found
    pub device: Option<String>,
    /// How many seconds to search
    #[arg(long = "for", value_name = "SECONDS", default_value_t = 30, value_parser = clap::value_parser!(u64).range(1..=600))]
    pub seconds: u64,
    /// The code that pairing asks for
    #[arg(long, requires = "device")]
    pub code: Option<String>,
    /// Answer yes to any code shown and any request
    #[arg(long, requires = "device")]
    pub yes: bool,
    /// Switch the radio on if it is off
    #[arg(long, requires = "device")]
    pub on: bool,
    /// Remove the device, with its keys
    #[arg(long, requires = "device", conflicts_with_all = ["rename", "disconnect"])]
    pub forget: bool,
    /// Give the device this name
    #[arg(long, requires = "device", value_name = "NAME", conflicts_with = "disconnect")]
    pub rename: Option<String>,
    /// Disconnect the device: most then switch themselves off
    #[arg(long, requires = "device")]
    pub disconnect: bool,
    /// One JSON object at the end of the search, for scripts
    #[arg(long, conflicts_with = "device")]
    pub json: bool,
}

/// Arguments of `strip`.
#[derive(Args, Debug, Clone, Copy)]
pub struct StripArgs {
    /// The slot, 1 to 8
    #[arg(long)]
    pub slot: u8,
    /// Draw with ASCII characters only
    #[arg(long)]
    pub ascii: bool,
}

/// Whether something is so.
#[derive(clap::ValueEnum, Debug, Clone, Copy, PartialEq, Eq)]
pub enum OnOff {
    /// It is.
    On,
    /// It is not.
    Off,
}

/// What to do about running from login on.
#[derive(Subcommand, Debug, Clone, Copy)]
pub enum ServiceVerb {
    /// Install it and start it
    Install,
    /// Stop it and remove it
    Remove,
    /// Show whether it is installed and running
    Status,
}

/// Arguments of `place`.
#[derive(Args, Debug)]
pub struct PlaceArgs {
    /// The device: its name, or a unique part of it
    pub device: String,
    /// The slot, 1 to 8; if absent, the lowest free one
    #[arg(long)]
    pub slot: Option<u8>,
    /// Its profile
    #[arg(long, default_value = "plain")]
    pub profile: String,
}

/// Arguments of `inspect`.
#[derive(Args, Debug)]
pub struct InspectArgs {
    /// A recording, or a bare report descriptor as bytes or in hex
    #[arg(value_name = "FILE", required_unless_present = "stream", conflicts_with = "stream")]
    pub file: Option<PathBuf>,
    /// One JSON object per line, for programs
    #[arg(long, conflicts_with = "stream")]
    pub json: bool,
    /// Also read the reports with this sheet
    #[arg(long, value_name = "SHEET", conflicts_with = "stream")]
    pub with_sheet: Option<PathBuf>,
    /// Answer JSON requests from standard input, one per line
    #[arg(long)]
    pub stream: bool,
}

/// Arguments of `card` and `curves`.
#[derive(Args, Debug)]
pub struct DrawArgs {
    /// The profile: its name, a file, one of the demo's (garden, ferry, crane, parade), or plain
    pub profile: String,
    /// The device: a node's path, VENDOR:PRODUCT in hex or a part of its name; a recording; or one of the demo's devices
    #[arg(long, value_name = "DEVICE")]
    pub on: String,
    /// The directory to write to, instead of the current one
    #[arg(long, value_name = "DIRECTORY")]
    pub into: Option<PathBuf>,
}

/// Arguments of `report`.
#[derive(Args, Debug)]
pub struct ReportArgs {
    /// The device: its name, or a unique part of it
    pub device: String,
    /// Watch it for this many seconds first, while you move everything
    #[arg(long = "for", value_name = "SECONDS", default_value_t = 0, value_parser = clap::value_parser!(u16).range(0..=600))]
    pub seconds: u16,
    /// The directory to write to, instead of the current one
    #[arg(long, value_name = "DIRECTORY")]
    pub into: Option<PathBuf>,
}

/// Arguments of `setup`.
#[derive(Args, Debug)]
pub struct SetupArgs {
    /// Devices to make readable, each as VENDOR:PRODUCT in hex; those in a slot are added automatically
    #[arg(value_name = "VENDOR:PRODUCT")]
    pub devices: Vec<String>,
    /// Also install the helper, which hides playing devices from games for whoever sits at this machine
    #[arg(long)]
    pub helper: bool,
    /// Install it instead of printing it; needs root
    #[arg(long)]
    pub install: bool,
    /// Remove the installed rule and the helper
    #[arg(long, conflicts_with_all = ["install", "devices", "helper"])]
    pub undo: bool,
    /// Where rules are installed
    #[arg(long, hide = true, default_value = "/etc/udev/rules.d")]
    pub directory: PathBuf,
}
