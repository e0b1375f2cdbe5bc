//! Whether a source can be read, and whether one of its controls is in use.

use mantle_core::control::{Control, ControlKind, Place};
use mantle_core::device::Access;
use mantle_core::table::Source;

/// Why a source cannot be read, in short.
pub(crate) fn trouble(source: &Source) -> Option<String> {
    match &source.access {
        Access::Refused(fault) => return Some(format!("{} {}", fault.path, fault.name())),
        Access::Closed if source.layout().is_some_and(|l| l.parts.iter().any(|p| p.is_game_controller())) => {}
        Access::Closed => return Some("not read".into()),
        Access::Opening | Access::Open => {}
    }
    source.fault().map(|fault| match fault {
        mantle_core::path::ReportsFault::Descriptor(why) => format!("descriptor: {why}"),
        mantle_core::path::ReportsFault::Unreadable(why) => why,
        mantle_core::path::ReportsFault::Asleep(why) => format!("does not wake: {why}"),
    })
}

/// Whether a control is off its rest, by its calibrated value.
pub(crate) fn is_active(source: &Source, control: &Control, raw: i32) -> bool {
    match control.kind {
        _ if source.good() == 0 => false,
        ControlKind::Button | ControlKind::Key | ControlKind::Hat => control.is_down(raw),
        ControlKind::Relative => raw != 0,
        // A position is no activity, but a touch is.
        ControlKind::Pointer | ControlKind::Motion | ControlKind::State => false,
        ControlKind::Contact => matches!(control.place, Place::Bit(_)) && raw != 0,
        ControlKind::Axis => {
            let share = control.share(raw);
            share > 0.06 && !(0.44..=0.56).contains(&share)
        }
    }
}
