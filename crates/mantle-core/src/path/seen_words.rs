//! What a game sees of a slot, in sentences: its pad, its devices beside that, and who else makes a pad of them.

use super::facts::MemberFacts;
use super::troubles::{Say, few};
use super::{NewsKind, Stage, StaysBare};
use crate::cover::{Cover, Strength};
use crate::device::errno_name;
use crate::sight::{Second, Verdict};

/// What is doubtful about what a game sees.
pub(super) fn of_games(say: &mut Say<'_>) {
    of_sight(say);
    if let Some(member) = say.facts.doubtful_cover() {
        let (word, text) = of_cover(&say.slot, member, &say.facts.verdict);
        say.doubt(Stage::Games, word, text);
        if matches!(member.cover, Cover::Failed(_)) {
            say.tell(NewsKind::Uncovered);
        }
        say.propose(member.anew.as_ref());
    }
}

/// What is seen of a slot's pad beside what is seen of its devices.
fn of_sight(say: &mut Say<'_>) {
    let slot = say.slot.clone();
    let (word, text) = match &say.facts.verdict {
        Verdict::Again { second: Second { program, reads }, .. } => {
            let what = reads.as_ref().map_or_else(|| "its pad".to_owned(), Clone::clone);
            let text = format!(
                "{slot}: {program} makes another pad from {what}, and a game takes both for players. Close that program, or take the other pad out of it."
            );
            ("two pads", text)
        }
        Verdict::DeviceOnly { device, number } => (
            "device only",
            format!(
                "{slot}: a game sees {device}, as controller {number}, and cannot open its pad. Start the game from the session in front, as the account that plays."
            ),
        ),
        Verdict::Closed(errno) => {
            let text = format!(
                "{slot}: its pad is there, and this account cannot open it ({}): a game sees nothing of it. Log in at the machine itself; elsewhere add the account to the group that owns /dev/input.",
                errno_name(*errno)
            );
            ("unopened", text)
        }
        Verdict::Taken(takes) => {
            ("misread", format!("{slot}: games take its pad for {}: choose another kind (K in Pad).", takes.words()))
        }
        Verdict::ShutIn(game) => (
            "shut in",
            format!(
                "{slot}: {game} has a /dev of its own, which does not show the pad: it sees none of it. Start it anew now that the pad is there, or let its sandbox see the input devices."
            ),
        ),
        Verdict::Nothing => (
            "unseen",
            format!(
                "{slot}: its pad is not among the input devices of this machine: nothing sees it. Choose its kind anew (K in Pad)."
            ),
        ),
        Verdict::Unknown | Verdict::Alone(_) | Verdict::Doubled { .. } | Verdict::Dead { .. } => return,
    };
    say.doubt(Stage::Games, word, text);
    say.tell(NewsKind::Uncovered);
}

fn of_cover(slot: &str, member: &MemberFacts, verdict: &Verdict) -> (&'static str, String) {
    let name = &member.name;
    match &member.cover {
        Cover::Covered(Strength::Held) => (
            "dead pad",
            format!(
                "{slot} plays, but a game still lists {name}, as a dead pad: choose the pad in the game, or have it hidden: once, sudo placid-mantle setup --install --helper."
            ),
        ),
        Cover::Failed(fault) => (
            "doubled",
            format!(
                "{slot} plays, but a game would see {name} beside its pad: {} of {} failed ({}){}",
                fault.operation,
                fault.path,
                fault.name(),
                match member.held_by.as_slice() {
                    [] => ". To have it hidden, once: sudo placid-mantle setup --install --helper.".to_owned(),
                    holders => format!("; {} has it open. Close that, and it is covered.", few(holders)),
                }
            ),
        ),
        _ => match member.stays_bare {
            Some(StaysBare::LastMouse) => (
                "pointer",
                format!(
                    "{slot} plays, and {name} moves the pointer as well: it is the only mouse. Held while it plays, it is back with a pause, in this screen, and with its first two buttons held for 3 s; g leaves it as it is."
                ),
            ),
            Some(StaysBare::Keyboard) => (
                "types too",
                format!(
                    "{slot} plays, and what {name} types reaches the system as well: its input nodes may not be opened by this account, so nothing of it can be kept back. As root: placid-mantle setup --install VENDOR:PRODUCT, then plug it in again."
                ),
            ),
            None => (
                "doubled",
                match verdict {
                    Verdict::Doubled { pad, device, number } if device == name && number < pad => format!(
                        "{slot} plays, but a game would see {name} before its pad, as controller {number}, and its pad as controller {pad}, and take both for players."
                    ),
                    _ => {
                        format!("{slot} plays, but a game would see {name} beside its pad, and take both for players.")
                    }
                },
            ),
        },
    }
}
