//! Sight: what a game would see on this machine, node by node, from given facts, and the verdict for each slot. A [`Look`] is what was found on the
//! machine at one moment. [`GameList::of`] turns it into the list as a game that starts now would read it: whose each input device is, what games
//! take it for, whether they can open it, who has it open, and the number that games give it.

mod look;
mod rows;
mod takes;
mod tree;
mod verdict;

pub use look::{Look, Maker, Program, SeenNode};
pub use rows::{ProgramRow, RowStanding, SightView};
pub use takes::{Takes, read_tags};
pub use tree::{GameList, Holder, ListedDevice, Owner, Whose};
pub use verdict::{Second, Verdict};

#[cfg(test)]
mod tests;
