//! Every view, drawn from snapshots that were written out and read back, at many sizes: nothing panics, and what matters is there.

mod harm;

use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_engine::{Mailbox, Observer, Publisher};
use mantle_files::shipped;
use mantle_link::ToScreen;
use mantle_sim::{Pace, SimWorld};
use mantle_talk::{Header, SlotNumber, Snapshot, Watch, Wish};
use mantle_tui::{App, Look};
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use ratatui::{Terminal, buffer::Buffer};
use std::sync::Arc;

fn snapshot(scene: &str, watch: Watch) -> Arc<Snapshot> {
    snapshot_of(shipped::scene(scene).expect("a shipped scene"), watch)
}

fn snapshot_of(scene: mantle_files::SceneFile, watch: Watch) -> Arc<Snapshot> {
    let pace = Pace::Virtual { until: Micros::seconds(5) };
    let device = |name: &str| match name {
        "hostile.device.toml" => mantle_files::DeviceFile::parse(name, &harm::device()),
        _ => shipped::device(name),
    };
    let mut world = SimWorld::with_devices(&scene, pace, None, device).expect("it can be played");
    let mut table = Table::new(world.settings());
    mantle_engine::run(&mut world, &mut table, &mut mantle_engine::NoObserver);
    let header = Header { title: scene.title.clone(), demo: true, ..Header::default() };
    let mut publisher = Publisher::new(Mailbox::new(|| {}), header);
    publisher.handle_watch(mantle_talk::Asker::default(), watch);
    let snapshot = publisher.snapshot(Micros::seconds(5), &table);
    // As a screen gets it that is another process.
    match mantle_link::through(&ToScreen::Snapshot(Box::new(snapshot))) {
        Some(ToScreen::Snapshot(snapshot)) => Arc::new(*snapshot),
        other => panic!("it does not come through: {other:?}"),
    }
}

fn wishes(app: &mut App) -> Vec<Wish> {
    app.take_orders().into_iter().map(|order| order.wish).collect()
}

fn key(app: &mut App, code: KeyCode) {
    app.handle_event(&Event::Key(KeyEvent::new(code, KeyModifiers::NONE)));
}

fn draw(app: &mut App, size: (u16, u16)) -> String {
    let mut terminal = Terminal::new(TestBackend::new(size.0, size.1)).expect("a terminal");
    terminal.draw(|frame| app.draw(frame)).expect("drawn");
    text(terminal.backend().buffer())
}

fn text(buffer: &Buffer) -> String {
    let width = usize::from(buffer.area.width);
    let rows = buffer.content.chunks(width).map(|row| row.iter().map(|cell| cell.symbol()).collect::<String>());
    rows.collect::<Vec<_>>().join("\n")
}

#[test]
fn every_view_fits_every_size() {
    let watch = Watch { slot: SlotNumber::new(1), ..Watch::default() };
    for scene in shipped::scene_names() {
        let snapshot = snapshot(&scene, watch);
        for look in [Look::default(), Look { ascii: true, plain: true }] {
            for size in [(80, 24), (81, 25), (100, 30), (159, 46), (160, 50), (240, 70), (80, 70), (240, 24), (20, 5)] {
                let mut app = App::new(look);
                app.handle_snapshot(snapshot.clone());
                for code in ['.', 'D', 'R', 'C', 'B', 'F', 'P', 'G', 'j', '?', 'p', 'q', 'm'] {
                    key(&mut app, KeyCode::Char(code));
                    let screen = draw(&mut app, size);
                    assert!(!look.ascii || screen.is_ascii(), "{scene} {size:?} {code}:\n{screen}");
                    if code != 'j' {
                        key(&mut app, KeyCode::Esc);
                    } else {
                        key(&mut app, KeyCode::Char('j'));
                    }
                }
            }
        }
    }
}

/// The sentence is never cut: its last word, which says what to do, is on the board at every size.
#[test]
fn the_sentence_is_whole_at_every_size() {
    for scene in ["no-permission", "no-uinput", "unreadable", "held", "silent", "empty"] {
        let snapshot = snapshot(scene, Watch::default());
        let last = snapshot.sentences[0].text.rsplit(' ').next().expect("a word").to_owned();
        for size in [(80, 24), (100, 30), (160, 46)] {
            let mut app = App::new(Look::default());
            app.handle_snapshot(snapshot.clone());
            let screen = draw(&mut app, size);
            assert!(screen.contains(&last), "{scene} {size:?}: {last} is missing:\n{screen}");
        }
    }
}

#[test]
fn every_highlighted_cell_is_clickable() {
    let snapshot = snapshot("tidewater", Watch { slot: SlotNumber::new(1), ..Watch::default() });
    let mut app = App::new(Look::default());
    app.handle_snapshot(snapshot);
    let screen = draw(&mut app, (160, 46));
    let click = |app: &mut App, screen: &str, words: &str| {
        let (row, line) = screen.lines().enumerate().find(|(_, line)| line.contains(words)).expect("it is there");
        let column = line.split(words).next().expect("before it").chars().count() as u16;
        let kind = MouseEventKind::Down(MouseButton::Left);
        app.handle_event(&Event::Mouse(MouseEvent { kind, column, row: row as u16, modifiers: KeyModifiers::NONE }));
    };
    app.take_orders();
    click(&mut app, &screen, "Quay pad");
    let watch = Watch { slot: SlotNumber::new(2), ..Watch::default() };
    assert_eq!(wishes(&mut app), [Wish::Watch(watch)]);
    click(&mut app, &screen, "readiness");
    assert!(matches!(wishes(&mut app).as_slice(), [Wish::Watch(Watch { readiness: true, .. })]));
    let screen = draw(&mut app, (160, 46));
    assert!(screen.contains("Checking the machine."), "{screen}");
}

/// Names from somebody who means harm: shown as signs in every view, obeyed in none.
#[test]
fn outside_text_is_sanitized_in_every_cell() {
    let scene = || mantle_files::SceneFile::parse("hostile", &harm::scene()).expect("a scene");
    let mut signs = 0;
    for slot in 1..=2 {
        let snapshot = snapshot_of(scene(), Watch { slot: SlotNumber::new(slot), ..Watch::default() });
        for look in [Look::default(), Look { ascii: true, plain: true }] {
            let mut app = App::new(look);
            app.handle_snapshot(snapshot.clone());
            for code in ['.', 'D', 'R', 'C', 'B', 'F', 'P', 'G', 'j', '?', 'p', 'q', 'm'] {
                key(&mut app, KeyCode::Char(code));
                let drawn = draw(&mut app, (160, 46));
                let raw = drawn.chars().find(|c| *c != '\n' && mantle_core::visible::sign(*c).is_some());
                assert_eq!(raw, None, "{code}: {drawn}");
                signs += drawn.matches('\u{241b}').count();
                key(&mut app, KeyCode::Esc);
            }
        }
    }
    assert!(signs > 5, "the names are not seen at all: {signs}");
}
