//! What a game sees of a slot, in sentences: its pad, its devices beside it, and others who make pads of them.

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

/// What is seen of a slot's pad besides its devices.
fn of_sight(say: &mut Say<'_>) {
    let slot = say.slot.clone();
    let (word, text) = match &say.facts.verdict {
        Verdict::Again { second: Second { program, reads }, .. } => {
            let what = reads.as_ref().map_or_else(|| "its pad".to_owned(), Clone::clone);
            let text = format!(
                "{slot}: {program} makes another pad from {what}, and a game counts both as players. Close that program, or take the other pad out of it."
            );
            ("two pads", text)
        }
        Verdict::DeviceOnly { device, number } => (
            "device only",
            format!(
                "{slot}: a game sees {device} as controller {number}, but cannot open the pad. Start the game from the session in front, as the account that plays."
            ),
        ),
        Verdict::Closed(errno) => {
            let text = format!(
                "{slot}: the pad is there, but this account may not open it, so games do not see it. Log in at the machine itself, or add the account to the group that owns /dev/input. ({})",
                errno_name(*errno)
            );
            ("unopened", text)
        }
        Verdict::Taken(takes) => {
            ("misread", format!("{slot}: games take its pad for {}. Choose another kind (K in Pad).", takes.words()))
        }
        Verdict::ShutIn(game) => (
            "shut in",
            format!(
                "{slot}: {game} has its own /dev, which does not contain the pad. Restart it now that the pad is there, or let its sandbox see the input devices."
            ),
        ),
        Verdict::Nothing => (
            "unseen",
            format!(
                "{slot}: its pad is not among this machine's input devices, so nothing sees it. Choose its kind again (K in Pad)."
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
                "{slot} plays, but games still list {name}, as a dead pad. Choose the pad in the game, or hide the device by running this once: sudo placid-mantle setup --install --helper."
            ),
        ),
        Cover::Failed(fault) => (
            "doubled",
            format!(
                "{slot} plays, but a game would see {name} beside its pad{} ({}).",
                match member.held_by.as_slice() {
                    [] => ". To hide it, run once: sudo placid-mantle setup --install --helper".to_owned(),
                    holders => format!(": {} has it open. Close that program, and it is covered", few(holders)),
                },
                fault.system()
            ),
        ),
        _ => match member.stays_bare {
            Some(StaysBare::LastMouse) => (
                "pointer",
                format!(
                    "{slot} plays, and {name} also moves the pointer: it is the only mouse. W holds it while it plays; pausing, this screen, or its first two buttons held for 3 s bring the pointer back. g leaves it as it is."
                ),
            ),
            Some(StaysBare::Keyboard) => (
                "types too",
                format!(
                    "{slot} plays, but {name} still types: this account may not open its input nodes, so its keys cannot be kept back. Run sudo placid-mantle setup --install VENDOR:PRODUCT, then plug it in again."
                ),
            ),
            None => (
                "doubled",
                match verdict {
                    Verdict::Doubled { pad, device, number } if device == name && number < pad => format!(
                        "{slot} plays, but a game would see {name} as controller {number} and the pad as controller {pad}, and count both as players."
                    ),
                    _ => {
                        format!("{slot} plays, but a game would see {name} beside its pad, and count both as players.")
                    }
                },
            ),
        },
    }
}
