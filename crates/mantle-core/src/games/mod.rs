//! Rules for games: what applies while a program runs, and whether a running program is the one that is meant.

mod pattern;
mod rule;

pub use rule::{GameRule, GameSign, GameView, RunningProgram, SlotRule};

#[cfg(test)]
mod tests;
