//! The command line.

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
    version,
    after_help = "Without a verb: a screen for the engine that runs; where none does, one with its own."
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
    /// The engine alone, without a screen: it stays until it is stopped; screens come and go
    Serve(ServeArgs),
    /// One slot's pad, live, in a corner of the screen: it takes 40x10 cells and more
    Strip(StripArgs),
    /// Have the engine run from login on, without a window
    Service {
        /// What to do
        #[command(subcommand)]
        act: ServiceVerb,
    },
    /// Say how the engine's slots and devices stand
    Status {
        /// One JSON object, for scripts
        #[arg(long)]
        json: bool,
    },
    /// Say what a game would see of this machine, node by node, and who has what open
    Sight {
        /// One JSON object, for scripts
        #[arg(long)]
        json: bool,
        /// Look closely into this running program, by the number of its process
        #[arg(long, value_name = "PID")]
        process: Option<u32>,
    },
    /// Start a game once its pads are there, by its rule; when it has ended everything is as before
    Play(PlayArgs),
    /// Stay in a /dev of a game's own; started by `play` alone
    #[command(hide = true)]
    InPrivate {
        /// The game
        #[arg(last = true)]
        command: Vec<OsString>,
    },
    /// Look for devices, or bring one to the table by the computer's radio
    Connect(ConnectArgs),
    /// Have a device play in a slot of the running engine
    Place(PlaceArgs),
    /// Lend a device a slot whose own device is away; it is given back by itself
    Lend {
        /// The device: its name, or a part of it that no other one has
        device: String,
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
    },
    /// Have a device shake and blink, to be found
    Find {
        /// The device: its name, or a part of it that no other one has
        device: String,
    },
    /// What a slot is to games: another kind of pad
    Kind {
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
        /// `common pad`, `flight stick`, `motion pad`, `keys`, or the name of a pad of your own
        kind: String,
        /// A common pad as a device of its own: a browser lists several of those
        #[arg(long)]
        apart: bool,
    },
    /// How strongly the devices of a slot rumble
    Rumble {
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
        /// Percent of what games ask for, 0 (not at all) to 200
        #[arg(value_parser = clap::value_parser!(u8).range(0..=200))]
        percent: u8,
    },
    /// What the lamps of a slot's devices show
    Lamp {
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
        /// `slot`, `battery`, `off`, or a colour such as `#ff8000`
        shows: String,
    },
    /// Have a device play along in a slot: several devices, one player
    Tie {
        /// The device: its name, or a part of it that no other one has
        device: String,
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
    },
    /// Have a device of a slot play by itself again
    Untie {
        /// The device: its name, or a part of it that no other one in the slot has; it may be away
        device: String,
        /// The slot, 1 to 8
        #[arg(long)]
        slot: u8,
    },
    /// Say that a device is the one of a slot, in another mode or by another way; without `--slot` it is one of its own again
    SameDevice {
        /// The device: its name, or a part of it that no other one has
        device: String,
        /// The slot, 1 to 8
        #[arg(long)]
        slot: Option<u8>,
    },
    /// Swap two slots of the running engine
    Swap {
        /// One slot, 1 to 8
        one: u8,
        /// The other one
        other: u8,
    },
    /// Take a slot's device out of it
    TakeOut {
        /// The slot, 1 to 8
        slot: u8,
    },
    /// Have a slot play by a profile
    UseProfile {
        /// The slot, 1 to 8
        slot: u8,
        /// The profile's name
        profile: String,
    },
    /// Give a device a name of your own; without one it has its own name back
    Nickname {
        /// The device: its name, or a part of it that no other one has
        device: String,
        /// What you call it
        name: Option<String>,
    },
    /// Lock the table: nobody sits down unasked
    Lock,
    /// Open the table again
    Unlock,
    /// Ask for a press for a minute: the next device without a slot that presses a button sits down
    SitDown {
        /// Two buttons held together do it at any time from now on, without asking: on or off
        #[arg(long, value_name = "on|off")]
        by_two: Option<OnOff>,
    },
    /// Have a slot's pad rest
    Pause {
        /// The slot, 1 to 8
        slot: u8,
    },
    /// Have a slot play again, or everything after `let-go`
    Resume {
        /// The slot, 1 to 8; everything without it
        slot: Option<u8>,
    },
    /// Free everything that is held, and let all pads rest
    LetGo,
    /// End the running engine: its pads go, its devices are given back
    Stop,
    /// What is set once for everything: how long slots are kept, limits, news; all of it, one, or one set anew
    Settings {
        /// Which one, such as `limits.battery`
        key: Option<String>,
        /// What it is from now on
        value: Option<String>,
    },
    /// Record a device's raw reports into a file
    Record(RecordArgs),
    /// Send an output or feature report to a device, byte for byte
    Send(SendArgs),
    /// Get a feature report from a device
    Get(GetArgs),
    /// Play a recording as if its device were there
    Replay(ReplayArgs),
    /// List what is connected
    Devices {
        /// One JSON array, for scripts
        #[arg(long)]
        json: bool,
    },
    /// What of this machine stands in the way of play, and what mends it
    Readiness {
        /// As JSON, for scripts
        #[arg(long)]
        json: bool,
        /// Ask about each that can be mended from here, and do it (as root)
        #[arg(long, conflicts_with = "json")]
        fix: bool,
    },
    /// Let an ordinary account make pads and read controllers: print the udev rule, and install it as root
    Setup(SetupArgs),
    /// Hide devices for a run as root, and give them back when it is gone; started by it alone
    #[command(hide = true)]
    Guard,
    /// Undo all covering that a run has left behind
    Uncover {
        /// Every device: there is no other choice yet, and it may be left out
        #[arg(long)]
        all: bool,
    },
    /// Say what a recording or a report descriptor means
    Inspect(InspectArgs),
    /// Your profiles: listed, made, copied, renamed, deleted, compared
    Profile {
        /// What to do
        #[command(subcommand)]
        act: ProfileVerb,
    },
    /// Pads of your own: listed, made to begin with, checked
    Pad {
        /// What to do
        #[command(subcommand)]
        act: PadVerb,
    },
    /// Draw the layout card of a profile on a device, as SVG and PDF: what the game prints, and where that is
    Card(DrawArgs),
    /// Draw the response curves of a profile, as SVG and PDF
    Curves(DrawArgs),
    /// Print the mapping line by which the common game library knows our pads
    Mapping,
    /// Put sheets, profiles, pad files and cards into one file, to pass on
    Pack(PackArgs),
    /// Say what is in such a file, and take it out
    Unpack(UnpackArgs),
}

/// Arguments of `demo`.
#[derive(Args, Debug)]
pub struct DemoArgs {
    /// A scene's name, or the path of a scene file
    #[arg(long, value_name = "NAME|PATH")]
    pub scene: Option<String>,
    /// List the scenes and end
    #[arg(long)]
    pub scenes: bool,
    /// No screen: print one line for each frame that a pad would send
    #[arg(long, requires = "seconds")]
    pub headless: bool,
    /// How many seconds of the scene; as fast as the machine can
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
    /// With --headless: a line for each frame that a pad gets, and for what is typed, as `demo --headless` prints them
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
    /// Over a simulated world instead of this machine's devices: a scene's name, or the path of a scene file
    #[arg(long, value_name = "NAME|PATH")]
    pub scene: Option<String>,
    /// Do not hide devices from games
    #[arg(long, conflicts_with = "scene")]
    pub bare: bool,
}

/// Arguments of `play`.
#[derive(Args, Debug)]
pub struct PlayArgs {
    /// The slots whose pads are waited for, such as 1,2; all that are in use without it
    #[arg(long, value_name = "SLOTS", value_delimiter = ',')]
    pub slots: Vec<u8>,
    /// The profile that they play by while the game runs
    #[arg(long, value_name = "NAME")]
    pub profile: Option<String>,
    /// Show the game our pads, mice and keyboards, and no other device that can be played with
    #[arg(long)]
    pub private: bool,
    /// Show the game everything, also where a device that plays can only be held and would be listed as a dead pad
    #[arg(long, conflicts_with = "private")]
    pub shared: bool,
    /// Only print what the game would find in its environment, for a launcher of your own
    #[arg(long)]
    pub print: bool,
    /// The game, behind two dashes
    #[arg(last = true, value_name = "COMMAND")]
    pub command: Vec<OsString>,
}

/// Arguments of `connect`.
#[derive(Args, Debug)]
#[allow(clippy::struct_excessive_bools, reason = "each is an option of its own")]
pub struct ConnectArgs {
    /// The device: its address, or a part of its name that no other one has; without it, what turns up is said
    pub device: Option<String>,
    /// So many seconds it is looked for
    #[arg(long = "for", value_name = "SECONDS", default_value_t = 30, value_parser = clap::value_parser!(u64).range(1..=600))]
    pub seconds: u64,
    /// The code that pairing asks for
    #[arg(long, requires = "device")]
    pub code: Option<String>,
    /// Yes, whatever code is shown, and whatever asks to be allowed
    #[arg(long, requires = "device")]
    pub yes: bool,
    /// Switch the radio on, where it is off
    #[arg(long, requires = "device")]
    pub on: bool,
    /// Remove the device, with its keys
    #[arg(long, requires = "device", conflicts_with_all = ["rename", "disconnect"])]
    pub forget: bool,
    /// Call the device this
    #[arg(long, requires = "device", value_name = "NAME", conflicts_with = "disconnect")]
    pub rename: Option<String>,
    /// Drop the device's link: most switch themselves off then
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
    /// Install it, and start it
    Install,
    /// Stop it, and take it away again
    Remove,
    /// Say how it stands
    Status,
}

/// Arguments of `place`.
#[derive(Args, Debug)]
pub struct PlaceArgs {
    /// The device: its name, or a part of it that no other one has
    pub device: String,
    /// The slot, 1 to 8; the lowest free one without it
    #[arg(long)]
    pub slot: Option<u8>,
    /// The profile that it plays by
    #[arg(long, default_value = "plain")]
    pub profile: String,
}

/// Arguments of `inspect`.
#[derive(Args, Debug)]
pub struct InspectArgs {
    /// A recording, or a bare report descriptor as bytes or in hex
    #[arg(value_name = "FILE", required_unless_present = "stream", conflicts_with = "stream")]
    pub file: Option<PathBuf>,
    /// One JSON object a line, for programs
    #[arg(long, conflicts_with = "stream")]
    pub json: bool,
    /// Read the reports by this sheet as well
    #[arg(long, value_name = "SHEET", conflicts_with = "stream")]
    pub with_sheet: Option<PathBuf>,
    /// Answer JSON requests from standard input, one a line
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
    /// Into this directory instead of the one where you are
    #[arg(long, value_name = "DIRECTORY")]
    pub into: Option<PathBuf>,
}

/// Arguments of `pack`.
#[derive(Args, Debug)]
pub struct PackArgs {
    /// The file to be made, which must not be there yet
    pub pack: PathBuf,
    /// What goes into it: files that end in .sheet.toml, .profile.toml or .card.svg
    #[arg(required = true)]
    pub files: Vec<PathBuf>,
    /// What you want to say about it
    #[arg(long, value_name = "TEXT", default_value = "")]
    pub about: String,
}

/// Arguments of `unpack`.
#[derive(Args, Debug)]
pub struct UnpackArgs {
    /// The file
    pub pack: PathBuf,
    /// Take it out below this directory, to look at it
    #[arg(long, value_name = "DIRECTORY")]
    pub into: Option<PathBuf>,
    /// Take it out among your own sheets and profiles, where a run uses it
    #[arg(long = "use", conflicts_with = "into")]
    pub to_use: bool,
}

/// Arguments of `setup`.
#[derive(Args, Debug)]
pub struct SetupArgs {
    /// Devices to be readable, each as VENDOR:PRODUCT in hex; those that sit in a slot are added by themselves
    #[arg(value_name = "VENDOR:PRODUCT")]
    pub devices: Vec<String>,
    /// Install the helper too: it hides devices that are played from games, for whoever sits at this machine
    #[arg(long)]
    pub helper: bool,
    /// Install what would otherwise only be printed; needs root
    #[arg(long)]
    pub install: bool,
    /// Take the installed rule, and the helper, away again
    #[arg(long, conflicts_with_all = ["install", "devices", "helper"])]
    pub undo: bool,
    /// Where rules are installed
    #[arg(long, hide = true, default_value = "/etc/udev/rules.d")]
    pub directory: PathBuf,
}
