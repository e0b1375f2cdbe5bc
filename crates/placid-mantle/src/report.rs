//! `report`: a device of the running engine on two pages, for its owner.

use crate::args::ReportArgs;
use crate::asking::{self, Asked};
use crate::exit::{Exit, refuse};
use crate::paper::Subject;
use crate::say::say;
use mantle_talk::{Command, Detail, Paper, Watch, Wish};
use std::path::PathBuf;
use std::time::{Duration, Instant};

/// Makes a report.
pub fn run(args: &ReportArgs) -> Exit {
    make(args).unwrap_or_else(|exit| exit)
}

fn make(args: &ReportArgs) -> Result<Exit, Exit> {
    let asked = Asked::engine()?;
    let devices = asked.wait(|snapshot| Some(snapshot.devices.clone()))?;
    let device = asking::find(&devices, &args.device)?;
    let Some(slot) = device.slot else {
        return Err(refuse(format!("{} has no slot yet: placid-mantle place \"{}\"", device.name, device.name)));
    };
    let part = (device.id, device.part);
    // Its controls are watched, so that the report can say how far they go and how much they tremble.
    asked.done(Command::LookAt(Some(part)))?.map_err(refuse)?;
    asked.order(Wish::Watch(Watch { slot: Some(slot), reports: true, ..Watch::default() }));
    if args.seconds > 0 {
        say!("Move everything of {} now, and let it rest: {} s.", device.name, args.seconds);
    }
    let until = Instant::now() + Duration::from_secs(args.seconds.into());
    // Nothing that comes before the time is up is wanted.
    asked.wait_until(until, |_| None::<()>)?;
    let (profile, mut detail) = asked.wait(|snapshot| {
        let Detail::Slot(detail) = &snapshot.detail else { return None };
        let profile = snapshot.slots.iter().find(|row| row.number == slot)?.profile.clone();
        (detail.number == slot).then(|| (profile, detail.clone()))
    })?;
    // Of several devices that are one player, this one comes first.
    detail.devices.sort_by_key(|one| (one.id, one.part) != part);
    let directory = args.into.clone().unwrap_or_else(|| PathBuf::from("."));
    let files = Subject { profile, detail: *detail }.write(Paper::Report, &directory).map_err(refuse)?;
    files.iter().for_each(|path| say!("{}", path.display()));
    Ok(Exit::Fine)
}
