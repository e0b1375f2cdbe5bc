//! The rules for games on a made-up machine, and the programs that they are for.

use super::{Due, SimWorld};
use mantle_core::command::RuleAct;
use mantle_core::games::{GameRule, GameSign, RunningProgram};
use mantle_core::time::Micros;
use mantle_engine::Happening;
use mantle_files::{SceneProgram, games};
use std::path::Path;

/// The name of the rules' file in messages.
pub(super) const FILE: &str = "scene/games.toml";

/// How often to check whether whoever asked is still running.
const EVERY: Micros = Micros::millis(500);

/// The rules' file, and what is watched for.
#[derive(Clone, Debug, Default)]
pub(super) struct SimGames {
    text: String,
    round: u32,
    rules: Vec<GameRule>,
    told: Option<Vec<RunningProgram>>,
}

impl SimGames {
    pub fn new(text: &str) -> Self {
        Self { text: text.to_owned(), ..Self::default() }
    }

    /// The rules' file.
    pub fn text(&self) -> &String {
        &self.text
    }

    /// Processes that have asked for something for as long as they run.
    fn asked(&self) -> impl Iterator<Item = u32> {
        self.rules.iter().flat_map(|rule| &rule.signs).filter_map(|sign| match sign {
            GameSign::Process(pid) => Some(*pid),
            _ => None,
        })
    }

    pub fn watch(&mut self, round: u32, rules: Vec<GameRule>) {
        (self.round, self.rules, self.told) = (round, rules, None);
    }
}

/// A program as its machine reports it.
fn program(own: &SceneProgram) -> RunningProgram {
    let path = format!("/usr/games/{}", own.name);
    let started = (own.at * 100.0) as u64;
    RunningProgram { pid: own.process, started, names: vec![own.name.clone()], arguments: vec![path.clone()], path }
}

impl SimWorld {
    /// Which of the watched programs are running, if that has changed.
    pub(super) fn games_told(&mut self, when: Micros) -> Option<Happening<'static>> {
        let asked: Vec<u32> = self.games.asked().collect();
        if !asked.is_empty() {
            self.soon(EVERY, Due::Games);
        }
        // Whoever asks for something is a process of the machine that this runs on.
        let alive = asked.into_iter().filter(|pid| Path::new("/proc").join(pid.to_string()).exists());
        let alive = alive.map(|pid| RunningProgram { pid, names: vec!["play".into()], ..RunningProgram::default() });
        let all = self.running(when.as_seconds()).map(|own| program(&own)).chain(alive);
        let running: Vec<RunningProgram> =
            all.filter(|program| self.games.rules.iter().any(|rule| rule.is_for(program))).collect();
        let news = self.games.round > 0 && self.games.told.as_ref() != Some(&running);
        news.then(|| {
            self.games.told = Some(running.clone());
            Happening::Running(when, self.games.round, running)
        })
    }

    /// A rule is saved in the scene's file, which lasts until the end.
    pub(super) fn change_rule(&mut self, act: RuleAct) -> Result<(GameRule, Option<GameRule>), String> {
        let second = self.now.as_seconds();
        let name = |pid| self.running(second).find(|own| own.process == pid).map(|own| own.name);
        let find = |pid| Some(vec![GameSign::Program(name(pid)?)]);
        let (after, rule, old) = games::act(FILE, &self.games.text, act, find)?;
        self.games.text = after;
        Ok((rule, old))
    }
}
