//! A case from the engine's pieces to a file, without what its owner has not asked for.

use mantle_files::case::{Case, ENDING, Private, Whose};
use mantle_files::save_new;
use mantle_linux::lock::account_name;
use mantle_talk::CasePiece;
use std::path::{Path, PathBuf};

/// How many file names are tried.
const NAMES: u32 = 1000;

/// The case of these pieces, without what was not asked for.
pub fn whole(pieces: Vec<CasePiece>, private: Private) -> Result<Case, String> {
    let (nicknames, keyboards) = match pieces.first() {
        Some(CasePiece::Table(table)) => (table.nicknames.clone(), table.keyboards.len()),
        _ => Default::default(),
    };
    let program = format!("placid-mantle {} (commit {})", env!("CARGO_PKG_VERSION"), env!("PLACID_MANTLE_COMMIT"));
    let mut case = Case::of(pieces, program).ok_or("the engine did not send the whole case")?;
    if keyboards > 0 {
        case.left_out.push(match keyboards {
            1 => "the reports of 1 keyboard".to_owned(),
            many => format!("the reports of {many} keyboards"),
        });
    }
    let whose = Whose {
        account: account_name(rustix::process::geteuid().as_raw()),
        computer: std::fs::read_to_string("/proc/sys/kernel/hostname").unwrap_or_default().trim().to_owned(),
        home: std::env::var("HOME").unwrap_or_default(),
        nicknames,
    };
    private.apply(&mut case, &whose)?;
    Ok(case)
}

/// Writes a case into a new file, and reads it back as whoever gets it will.
pub fn write(path: &Path, case: &Case) -> Result<(), String> {
    let text = case.to_text();
    Case::parse(&path.display().to_string(), &text).map_err(|fault| fault.to_string())?;
    save_new(path, text.as_bytes()).map_err(|error| format!("{}: {error}", path.display()))
}

/// Writes a case beside the papers, under a name that is free.
pub fn write_beside(pieces: Vec<CasePiece>, directory: &Path) -> Result<PathBuf, String> {
    let case = whole(pieces, Private::default())?;
    std::fs::create_dir_all(directory).map_err(|error| format!("{}: {error}", directory.display()))?;
    let path = free(directory, "table", ENDING)?;
    write(&path, &case)?;
    Ok(path)
}

/// A path in a directory that nothing has yet.
pub fn free(directory: &Path, stem: &str, ending: &str) -> Result<PathBuf, String> {
    let names = (1..=NAMES).map(|number| match number {
        1 => format!("{stem}{ending}"),
        number => format!("{stem}-{number}{ending}"),
    });
    let free = names.map(|name| directory.join(name)).find(|path| !path.exists());
    free.ok_or_else(|| format!("{}: there are already {NAMES} files with that name", directory.display()))
}
