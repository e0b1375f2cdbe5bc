//! Writes one table of texts for each folder of data at the workspace's root.

use std::path::{Path, PathBuf};
use std::{env, fs};

/// Each folder, and how the names of its files end.
const FOLDERS: [(&str, &str); 5] = [
    ("sheets", ".sheet.toml"),
    ("devices", ".device.toml"),
    ("scenes", ".scene.toml"),
    ("profiles", ".profile.toml"),
    ("templates", ".profile.toml"),
];

fn main() {
    let root = Path::new(&env::var("CARGO_MANIFEST_DIR").expect("cargo names it")).join("../..");
    let out = PathBuf::from(env::var("OUT_DIR").expect("cargo names it"));
    let mut source = String::new();
    for (folder, ending) in FOLDERS {
        let directory = root.join(folder).canonicalize().unwrap_or_else(|why| panic!("{folder}: {why}"));
        println!("cargo::rerun-if-changed={}", directory.display());
        let entries = fs::read_dir(&directory).unwrap_or_else(|why| panic!("{folder}: {why}"));
        let mut files: Vec<PathBuf> = entries.map(|entry| entry.expect("an entry of the folder").path()).collect();
        files.sort();
        source += &format!("pub(crate) static {}: &[Text] = &[\n", folder.to_uppercase());
        for path in files {
            let file = path.file_name().and_then(|name| name.to_str()).expect("a name in UTF-8");
            let Some(name) = file.strip_suffix(ending) else { continue };
            let path = path.to_str().expect("a path in UTF-8");
            source += &format!("    Text {{ name: {name:?}, file: {file:?}, text: include_str!({path:?}) }},\n");
        }
        source += "];\n";
    }
    fs::write(out.join("texts.rs"), source).expect("the texts are written");
}
