//! `feed TARGET FILE...`: passes files through one of the fuzzers' targets, once each. Used to count instructions, and to examine what a fuzzer has
//! found.

use mantle_lab::targets::TARGETS;

fn main() -> Result<(), String> {
    let mut arguments = std::env::args().skip(1);
    let wanted = arguments.next().unwrap_or_default();
    let names = || TARGETS.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ");
    let found = TARGETS.iter().find(|(name, _)| *name == wanted);
    let (_, target) = found.ok_or_else(|| format!("no target is {wanted:?}; there are: {}", names()))?;
    for path in arguments {
        target(&std::fs::read(&path).map_err(|error| format!("{path}: {error}"))?);
    }
    Ok(())
}
