//! `demo`: the simulated world, on the screen or as lines.

use crate::args::DemoArgs;
use crate::exit::{Exit, refuse};
use crate::frames::FramePrinter;
use crate::say::say;
use crate::screen::Opening;
use crate::screen_args::ScreenArgs;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_files::recipe::Recipe;
use mantle_files::shipped;
use mantle_files::{DeviceFile, FileFault, SceneFile};
use mantle_sim::{Pace, SimWorld};
use mantle_talk::Header;
use std::path::{Path, PathBuf};

/// Runs the demo.
pub fn run(args: &DemoArgs) -> Exit {
    if args.scenes {
        for name in shipped::scene_names() {
            say!("{name}");
        }
        return Exit::Fine;
    }
    let (scene, directory) = match load(args.scene.as_deref().unwrap_or(mantle_shipped::OPENING)) {
        Ok(found) => found,
        Err(fault) => return refuse(fault.to_string()),
    };
    let device = |name: &str| device(name, directory.as_deref());
    if args.headless {
        let seconds = args.seconds.unwrap_or(0.0);
        if !(0.0..=86_400.0).contains(&seconds) {
            return refuse(format!("--for {seconds} is not within 0 to 86400 seconds"));
        }
        let pace = Pace::Virtual { until: Micros((seconds * 1e6) as u64) };
        return match SimWorld::with_devices(&scene, pace, None, device) {
            Ok(mut world) => {
                let mut table = Table::new(world.settings());
                let mut printer = FramePrinter::new(std::io::stdout().lock());
                mantle_engine::run(&mut world, &mut table, &mut printer);
                printer.finish()
            }
            Err(fault) => refuse(fault.to_string()),
        };
    }
    show(&scene, directory.as_deref(), args.screen, Opening::Plain)
}

/// Runs the tour: the demo with the steps below it.
pub fn tour(screen: ScreenArgs) -> Exit {
    try_recipe(mantle_shipped::TOUR.text, screen)
}

/// Runs the demo on a recipe's table, with its steps below.
pub fn try_recipe(text: &str, screen: ScreenArgs) -> Exit {
    let read = Recipe::parse(text).and_then(|recipe| {
        let scene = SceneFile::parse("recipe", &recipe.scene).map_err(|fault| fault.to_string())?;
        Ok((scene, crate::guide::steps(&recipe)))
    });
    match read {
        Ok((scene, steps)) => show(&scene, None, screen, Opening::Tour(steps)),
        Err(why) => refuse(why),
    }
}

/// Plays a scene on the screen.
fn show(scene: &SceneFile, directory: Option<&Path>, screen: ScreenArgs, opening: Opening) -> Exit {
    let device = |name: &str| device(name, directory);
    let header = Header { title: scene.title.clone(), demo: true, ..Header::default() };
    crate::screen::run(screen, header, None, opening, || {
        // The simulated world waits on the channel itself, so nobody has to wake it.
        let (give, orders) = mantle_engine::orders(|| {});
        let world =
            SimWorld::with_devices(scene, Pace::Clock, Some(orders), device).map_err(|fault| fault.to_string())?;
        let table = Table::new(world.settings());
        Ok((world, table, give))
    })
}

/// Loads a scene from a file or by name. Also returns the directory of the file, for its own device files.
pub fn load(name: &str) -> Result<(SceneFile, Option<PathBuf>), FileFault> {
    let path = Path::new(name);
    if path.is_file() {
        let text = mantle_files::bounded::read_text(path, mantle_files::bounded::SHEET_BYTES)
            .map_err(|error| FileFault::whole(name, error.to_string()))?;
        let scene = SceneFile::parse(name, &text)?;
        return Ok((scene, path.parent().map(Path::to_owned)));
    }
    match shipped::recipe_scene(name).transpose()?.or_else(|| shipped::scene(name)) {
        Some(scene) => Ok((scene, None)),
        None => {
            let known = shipped::scene_names().join(", ");
            Err(FileFault::whole(name, format!("neither a file nor the name of a scene; the scenes are: {known}")))
        }
    }
}

/// Loads a device file from beside the scene, or a shipped one.
pub fn device(name: &str, directory: Option<&Path>) -> Result<DeviceFile, FileFault> {
    if let Some(directory) = directory {
        let candidates = [directory.join(name), directory.join(format!("{name}.device.toml"))];
        if let Some(path) = candidates.iter().find(|path| path.is_file()) {
            let shown = path.display().to_string();
            let text = mantle_files::bounded::read_text(path, mantle_files::bounded::SHEET_BYTES)
                .map_err(|error| FileFault::whole(&shown, error.to_string()))?;
            return DeviceFile::parse(&shown, &text);
        }
    }
    shipped::device(name)
}
