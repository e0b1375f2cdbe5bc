//! Arguments of `profile` and `pad`.

use clap::Subcommand;
use std::path::PathBuf;

/// What to do with profiles. A run that goes on takes notice at once.
#[derive(Subcommand, Debug)]
pub enum ProfileVerb {
    /// List the profiles, with their files
    List,
    /// Create a profile
    New {
        /// Its name
        name: String,
        /// The template to start from
        #[arg(long, value_name = "TEMPLATE", default_value = "plain")]
        like: String,
    },
    /// List the templates
    Templates,
    /// List everything that a binding can play
    Targets,
    /// Import somebody's profile; it types nothing until you allow it
    Import {
        /// Its file
        file: PathBuf,
        /// Import it under this name
        #[arg(long = "as", value_name = "NAME")]
        name: Option<String>,
    },
    /// Create a profile from a mapping line of the common game library, for a device
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
    /// Export a profile's file, to share it
    Export {
        /// The profile
        name: String,
        /// The file to write; it must not exist
        file: PathBuf,
    },
    /// Step one setting of the feel, for scripts; a running engine applies it at once
    Feel {
        /// The profile
        name: String,
        /// The stick or trigger, such as "left stick"
        which: String,
        /// The setting, such as "dead zone"
        setting: String,
        /// The step
        #[arg(value_enum)]
        step: FeelStep,
    },
    /// Undo the last change to a profile
    Back {
        /// The profile
        name: String,
    },
    /// Redo what was undone
    Again {
        /// The profile
        name: String,
    },
    /// Copy a profile
    Copy {
        /// The profile
        from: String,
        /// The copy's name
        to: String,
    },
    /// Rename a profile; slots that use it follow
    Rename {
        /// The profile
        from: String,
        /// Its new name
        to: String,
    },
    /// Move a profile to the trash
    Delete {
        /// The profile
        name: String,
    },
    /// Show the differences between two profiles
    Compare {
        /// One
        one: String,
        /// The other
        other: String,
    },
}

/// How a setting of the feel is stepped.
#[derive(clap::ValueEnum, Debug, Clone, Copy, PartialEq, Eq)]
pub enum FeelStep {
    /// One step up.
    More,
    /// One step down.
    Less,
    /// Back to the default.
    Usual,
}

/// What to do with pads of one's own. A run that goes on takes notice of their files at once.
#[derive(Subcommand, Debug)]
pub enum PadVerb {
    /// List them: what each has, its ids, and what game libraries would misread
    List,
    /// Create a file to start from
    New {
        /// Its name
        name: String,
        /// The kind to start from: "common pad" or "flight stick"
        #[arg(long, value_name = "KIND", default_value = "common pad")]
        like: String,
    },
    /// Show what a file makes, and what is wrong in it
    Check {
        /// The file
        file: PathBuf,
    },
}
