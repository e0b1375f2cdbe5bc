//! Makes and deletes rules for games, from the list of programs in the Games view.

use crate::app::App;
use crate::intents::RuleKey;
use crate::rows::{Then, View};
use mantle_talk::{Command, GameRule, ProgramRow, RuleAct, Stage};

impl App {
    /// The chosen program in the Games view.
    pub(crate) fn chosen_program(&self) -> Option<&ProgramRow> {
        let view = self.snapshot.sight.as_deref()?;
        let here = self.view == View::Stage && self.stage == Stage::Games;
        view.programs.get(self.listed.checked_sub(view.rows.len())?).filter(|_| here)
    }

    /// Whether the chosen program is the running game.
    pub(crate) fn has_rule(&self) -> bool {
        let game = self.snapshot.sight.as_deref().and_then(|view| view.game.as_ref());
        game.zip(self.chosen_program()).is_some_and(|(game, program)| game.pid == program.pid)
    }

    pub(crate) fn handle_rule(&mut self, wanted: RuleKey) {
        let game = self.snapshot.sight.as_deref().and_then(|view| view.game.clone());
        let act = match (wanted, self.chosen_program(), game) {
            (RuleKey::Drop, _, Some(game)) => RuleAct::Drop(game.signs),
            (RuleKey::Drop, _, None) => {
                self.message = Some("no game is being played by a rule".into());
                return;
            }
            (_, Some(program), _) => {
                let rule = GameRule { stays_out: wanted == RuleKey::StayOut, ..GameRule::default() };
                RuleAct::Add { pid: program.pid, rule }
            }
            (_, None, _) => {
                self.message = Some("choose a program in the list: a rule is for a program".into());
                return;
            }
        };
        self.command(Command::Rule(act), Then::Nothing);
    }
}
