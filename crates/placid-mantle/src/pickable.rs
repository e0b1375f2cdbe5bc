//! Files offered by the screen where a path can be typed.

use std::path::{Path, PathBuf};

/// The most offers; with more files, people type part of a name.
const MOST: usize = 400;

/// The files in a directory (as typed; if empty, the usual one) with one of these endings, and its subdirectories: the text to type,
/// and a note. Directories end with a slash.
pub fn list(directory: &str, endings: &[&str]) -> Vec<(String, String)> {
    if !directory.is_empty() {
        return inside(&mantle_files::typed_path(directory), directory, endings);
    }
    let recordings = crate::screen_recorder::directory().filter(|_| endings.contains(&".hid"));
    let home = std::env::var_os("HOME").map(PathBuf::from);
    let usual = [recordings, std::env::current_dir().ok(), home.as_ref().map(|home| home.join("Downloads")), home];
    let mut all: Vec<(String, String)> = Vec::new();
    let mut seen: Vec<PathBuf> = Vec::new();
    for place in usual.into_iter().flatten() {
        if !seen.contains(&place) {
            all.extend(inside(&place, &shown(&place), endings));
            seen.push(place);
        }
    }
    // Files come first, since people mostly look for those.
    all.sort_by_key(|(text, _)| text.ends_with('/'));
    all.truncate(MOST);
    all
}

/// A directory as people type it: with a trailing slash, the home directory as a tilde.
fn shown(place: &Path) -> String {
    let home = std::env::var_os("HOME").map(PathBuf::from);
    match home.as_deref().and_then(|home| place.strip_prefix(home).ok()) {
        Some(rest) if rest.as_os_str().is_empty() => "~/".to_owned(),
        Some(rest) => format!("~/{}/", rest.display()),
        None => format!("{}/", place.display()),
    }
}

fn inside(place: &Path, shown: &str, endings: &[&str]) -> Vec<(String, String)> {
    let Ok(entries) = std::fs::read_dir(place) else { return Vec::new() };
    let mut all: Vec<(String, String)> = entries
        .flatten()
        .take(MOST * 10)
        .filter_map(|entry| {
            // A name that is not valid text cannot be typed.
            let name = entry.file_name().into_string().ok()?;
            let is_directory = entry.path().is_dir();
            if name.starts_with('.') {
                return None;
            }
            if is_directory {
                return Some((format!("{shown}{name}/"), "directory".to_owned()));
            }
            let fits = endings.iter().any(|ending| name.ends_with(ending));
            fits.then(|| (format!("{shown}{name}"), String::new()))
        })
        .collect();
    all.sort_by_key(|(text, _)| (text.ends_with('/'), text.clone()));
    all.truncate(MOST);
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_directory_is_listed_files_first() {
        let place = std::env::temp_dir().join(format!("pickable-{}", std::process::id()));
        std::fs::create_dir_all(place.join("more")).unwrap();
        for name in ["b.profile.toml", "a.profile.toml", "notes.md", ".hidden.profile.toml"] {
            std::fs::write(place.join(name), "").unwrap();
        }
        let typed = format!("{}/", place.display());
        let names: Vec<String> =
            list(&typed, &[".profile.toml"]).into_iter().map(|(text, _)| text.replace(&typed, "")).collect();
        std::fs::remove_dir_all(&place).unwrap();
        assert_eq!(names, ["a.profile.toml", "b.profile.toml", "more/"]);
        assert!(list(&typed, &[".profile.toml"]).is_empty(), "what is gone is not listed");
    }
}
