//! Where the instructions of a program were spent, from callgrind's output and the debug information.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};

/// How often each instruction of the program was carried out, by its address: of what callgrind wrote with `--dump-instr=yes`. What
/// belongs to libraries is left out.
///
/// # Panics
/// It is no such file.
#[must_use]
pub fn by_address(text: &str, program: &str) -> BTreeMap<u64, u64> {
    let (mut names, mut counts) = (BTreeMap::new(), BTreeMap::new());
    let (mut object, mut address, mut of_a_call) = (String::new(), 0u64, false);
    for line in text.lines() {
        if let Some(name) = line.strip_prefix("ob=").or(line.strip_prefix("cob=")) {
            // A name is written out where it first occurs, and has a number from then on.
            let (number, name) = name.split_once(' ').map_or((name, None), |(number, name)| (number, Some(name)));
            if let Some(name) = name {
                names.insert(number.to_owned(), name.to_owned());
            }
            if line.starts_with("ob=") {
                object.clone_from(names.get(number).expect("a name comes before its number alone"));
            }
            continue;
        }
        if line.starts_with("calls=") {
            of_a_call = true;
            continue;
        }
        let mut words = line.split(' ');
        let (Some(at), Some(_), Some(count), None) = (words.next(), words.next(), words.next(), words.next()) else {
            continue;
        };
        let number = |text: &str| text.parse::<u64>().ok();
        let next = match at.as_bytes().first() {
            Some(b'+') => number(&at[1..]).map(|by| address + by),
            Some(b'-') => number(&at[1..]).map(|by| address - by),
            Some(b'*') => Some(address),
            _ => at.strip_prefix("0x").and_then(|hex| u64::from_str_radix(hex, 16).ok()),
        };
        let (Some(next), Some(count)) = (next, number(count)) else { continue };
        address = next;
        // The cost of a call is counted where it was spent.
        if !std::mem::take(&mut of_a_call) && object.ends_with(program) {
            *counts.entry(address).or_default() += count;
        }
    }
    counts
}

/// The files of the sources that an instruction comes from, the innermost of what was put inline first.
///
/// # Panics
/// `addr2line` is not there, or cannot read the program.
#[must_use]
pub fn sources(program: &Path, addresses: &[u64]) -> BTreeMap<u64, Vec<String>> {
    let mut child = Command::new("addr2line")
        .args(["--addresses", "--inlines", "--exe"])
        .arg(program)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .expect("addr2line is there (Debian: binutils)");
    let asked: String = addresses.iter().map(|address| format!("{address:#x}\n")).collect();
    let mut input = child.stdin.take().expect("it is a pipe");
    let writer = std::thread::spawn(move || input.write_all(asked.as_bytes()).expect("it reads"));
    let said = child.wait_with_output().expect("it answers");
    writer.join().expect("it was written");
    let mut out = BTreeMap::<u64, Vec<String>>::new();
    let mut address = 0;
    for line in String::from_utf8_lossy(&said.stdout).lines() {
        match line.strip_prefix("0x").and_then(|hex| u64::from_str_radix(hex, 16).ok()) {
            Some(next) => address = next,
            None => out.entry(address).or_default().push(line.to_owned()),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::by_address;

    #[test]
    fn relative_addresses_add_up_and_call_costs_are_excluded() {
        let text = "positions: instr line\nevents: Ir\n\nob=(1) /bin/program\nfl=(1) a.rs\nfn=(1) main\n0x1000 3 5\n\
                    +4 4 7\ncob=(2) /lib/libc.so\ncfn=(2) memcpy\ncalls=2 0x99\n* 4 1000\n-4 * 1\n\nob=(2)\nfn=(2)\n\
                    0x1000 1 9\n\nob=(1)\nfn=(3) other\n0x1010 1 2\n";
        let counts: Vec<(u64, u64)> = by_address(text, "/program").into_iter().collect();
        assert_eq!(counts, [(0x1000, 6), (0x1004, 7), (0x1010, 2)]);
    }
}
