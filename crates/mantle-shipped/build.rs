//! Writes one table of texts for each data folder at the workspace's root.

use std::path::{Path, PathBuf};
use std::{env, fs};

/// Each folder, and the ending of its files.
const FOLDERS: [(&str, &str); 6] = [
    ("sheets", ".sheet.toml"),
    ("devices", ".device.toml"),
    ("scenes", ".scene.toml"),
    ("profiles", ".profile.toml"),
    ("templates", ".profile.toml"),
    ("docs/recipes", ".md"),
];

/// The value of a key in a sheet's `[match]`.
fn number(path: &Path, text: &str, key: &str) -> u16 {
    let body = text.split_once("[match]").map(|(_, body)| body.split("\n[").next().unwrap_or(body));
    let value =
        body.and_then(|body| body.lines().find_map(|line| line.trim().strip_prefix(key)?.trim().strip_prefix('=')));
    let value = value.and_then(|value| value.split('#').next()).map(str::trim);
    let number = value.and_then(|value| match value.strip_prefix("0x") {
        Some(hex) => u16::from_str_radix(hex, 16).ok(),
        None => value.parse().ok(),
    });
    number.unwrap_or_else(|| panic!("{}: its [match] needs one {key}", path.display()))
}

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
        if folder == "sheets" {
            // Which devices each of them is for, so that only the necessary ones have to be read.
            source += "pub(crate) static SHEETS_FOR: &[(u16, u16)] = &[\n";
            for path in files.iter().filter(|path| path.to_str().is_some_and(|path| path.ends_with(ending))) {
                let text = fs::read_to_string(path).expect("a text");
                let (vendor, product) = (number(path, &text, "vendor"), number(path, &text, "product"));
                source += &format!("    ({vendor:#06x}, {product:#06x}),\n");
            }
            source += "];\n";
        }
        let table = folder.rsplit('/').next().unwrap_or(folder).to_uppercase();
        source += &format!("pub(crate) static {table}: &[Text] = &[\n");
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
