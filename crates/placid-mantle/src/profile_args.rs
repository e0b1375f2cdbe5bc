//! The command lines of `profile` and `pad`.

use clap::Subcommand;
use std::path::PathBuf;

/// What to do with profiles. A run that goes on takes notice at once.
#[derive(Subcommand, Debug)]
pub enum ProfileVerb {
    /// List them, with their files
    List,
    /// Make one
    New {
        /// Its name
        name: String,
        /// By purpose: one of the templates
        #[arg(long, value_name = "TEMPLATE", default_value = "plain")]
        like: String,
    },
    /// List the templates
    Templates,
    /// List everything that a binding can play
    Targets,
    /// Import somebody's profile; what it would type is said, and typed only once you agree
    Import {
        /// Its file
        file: PathBuf,
        /// Call it this instead of what it calls itself
        #[arg(long = "as", value_name = "NAME")]
        name: Option<String>,
    },
    /// Make one out of a mapping line of the common game library, for a device
    FromMapping {
        /// The line, in quotes
        line: String,
        /// The profile's name
        #[arg(long = "as", value_name = "NAME")]
        name: String,
        /// The device: as for `card`
        #[arg(long, value_name = "DEVICE")]
        on: String,
    },
    /// Copy one's file to another place, to pass it on
    Export {
        /// Which
        name: String,
        /// Where to; nothing may be there yet
        file: PathBuf,
    },
    /// Step one setting of the feel, for scripts; a run that goes on feels it at once
    Feel {
        /// Which profile
        name: String,
        /// The stick or trigger, such as "left stick"
        which: String,
        /// The setting, such as "dead zone"
        setting: String,
        /// What to do with it
        #[arg(value_enum)]
        step: FeelStep,
    },
    /// Take the last change of one back: the old one plays
    Back {
        /// Which
        name: String,
    },
    /// Do once more what was taken back: the new one plays
    Again {
        /// Which
        name: String,
    },
    /// Copy one
    Copy {
        /// Which
        from: String,
        /// The copy's name
        to: String,
    },
    /// Give one another name; slots that play by it follow
    Rename {
        /// Which
        from: String,
        /// Its new name
        to: String,
    },
    /// Delete one, into the trash
    Delete {
        /// Which
        name: String,
    },
    /// Say what differs between two
    Compare {
        /// One
        one: String,
        /// The other
        other: String,
    },
}

/// What is done with a setting of the feel.
#[derive(clap::ValueEnum, Debug, Clone, Copy, PartialEq, Eq)]
pub enum FeelStep {
    /// One step more.
    More,
    /// One step less.
    Less,
    /// As it is where nobody has changed anything.
    Usual,
}

/// What to do with pads of one's own. A run that goes on takes notice of their files at once.
#[derive(Subcommand, Debug)]
pub enum PadVerb {
    /// List them: what each has, under which ids, and what libraries of games would misread
    List,
    /// Make a file to begin with
    New {
        /// Its name
        name: String,
        /// The kind that it begins with: "common pad" or "flight stick"
        #[arg(long, value_name = "KIND", default_value = "common pad")]
        like: String,
    },
    /// Say what a file makes, and what is wrong in it
    Check {
        /// The file
        file: PathBuf,
    },
}
