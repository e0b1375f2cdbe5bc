//! `replay`: a recording as a device, on the screen or as lines.

use crate::exit::{Exit, refuse};
use crate::frames::FramePrinter;
use crate::recording_args::ReplayArgs;
use mantle_core::table::{Settings, Table};
use mantle_core::time::Micros;
use mantle_sim::{Pace, Playing, RecordedWorld};
use mantle_talk::Header;

/// Plays a recording.
pub fn run(args: &ReplayArgs) -> Exit {
    let recording = match crate::recording_file::read(&args.file) {
        Ok(recording) => recording,
        Err(why) => return refuse(why),
    };
    if !(1.0 / 64.0..=64.0).contains(&args.speed) {
        return refuse(format!("--speed {} is not within 1/64 to 64", args.speed));
    }
    let playing = |pace| Playing { pace, speed: args.speed, looped: args.looped, paused: args.step };
    let (sheets, _) = crate::home::sheets(mantle_files::config_directory().as_deref());
    let settings = Settings { cover: true, sheets, ..Settings::default() };
    let shown = args.file.display().to_string();
    if args.headless {
        let seconds = args.seconds.unwrap_or(if args.looped { 60.0 } else { 1e9 });
        let pace = Pace::Virtual { until: Micros((seconds.clamp(0.0, 1e9) * 1e6) as u64) };
        return match RecordedWorld::new(&recording, Playing { paused: false, ..playing(pace) }, None) {
            Ok(mut world) => {
                let mut table = Table::new(settings);
                let mut printer = FramePrinter::new(std::io::stdout().lock());
                mantle_engine::run(&mut world, &mut table, &mut printer);
                printer.finish()
            }
            Err(why) => refuse(format!("{shown}: {why}")),
        };
    }
    let name = args.file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let header = Header { title: name, demo: true, replay: true, ..Header::default() };
    crate::screen::run(args.screen, header, None, crate::screen::Opening::Plain, || {
        let (give, orders) = mantle_engine::orders(|| {});
        let world = RecordedWorld::new(&recording, playing(Pace::Clock), Some(orders))
            .map_err(|why| format!("{shown}: {why}"))?;
        Ok((world, Table::new(settings), give))
    })
}
