//! Somebody at the screen, on simulated time: keys at their moments, and what the screen then shows. The engine, the simulated world and the screen
//! are real; only the terminal is a buffer.

use mantle_core::command::{Answer, Asker, CommandNumber};
use mantle_core::pad::Events;
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Note, Table};
use mantle_core::time::Micros;
use mantle_engine::{Mailbox, Observer, OrderSender, Publisher, orders};
use mantle_files::shipped;
use mantle_sim::{Pace, SimWorld};
use mantle_talk::{Header, HistoryRequest, Watch};
use mantle_tui::{App, Look};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::buffer::Buffer;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use std::fmt::Write;
use std::sync::Arc;

/// One thing that the person does or sees.
#[derive(Clone, Copy, Debug)]
enum Act {
    /// Presses a key: a character, or `Enter`, `Esc`, `Up`, `Down`, `Left`, `Right`.
    Key(&'static str),
    /// Presses several, faster than any snapshot comes.
    Keys(&'static [&'static str]),
    /// Clicks these words as the last frame showed them, after the next snapshot has come but before it is drawn.
    LateClick(&'static str),
    /// These words stand on the screen.
    Sees(&'static str),
    /// They do not.
    Misses(&'static str),
    /// The row of a slot has these words.
    Row(u8, &'static str),
    /// The line that is marked has these words.
    Chosen(&'static str),
    /// The program has ended.
    Left,
}
use Act::{Chosen, Key, Keys, LateClick, Left, Misses, Row, Sees};

struct Person<'a> {
    publisher: Publisher,
    mailbox: Mailbox,
    app: App,
    terminal: Terminal<TestBackend>,
    give: OrderSender,
    script: &'a [(f64, Act)],
    done: usize,
    wrong: Vec<String>,
    next: Micros,
}

impl Person<'_> {
    fn screen(&mut self, now: Micros, table: &Table) -> String {
        let snapshot = Arc::new(self.publisher.snapshot(now, table));
        self.app.handle_snapshot(snapshot);
        self.hand_over();
        if let Some((at, LateClick(words))) = self.script.get(self.done).copied()
            && now.as_seconds() >= at
        {
            self.done += 1;
            self.click(words);
        }
        self.draw()
    }

    /// Clicks words of the last frame.
    fn click(&mut self, words: &str) {
        let last = text(self.terminal.backend().buffer());
        let lines = last.lines().enumerate();
        let found = lines.filter_map(|(y, line)| Some((line[..line.find(words)?].chars().count(), y))).last();
        let (x, y) = found.unwrap_or_else(|| panic!("{words} is not seen:\n{last}"));
        let kind = MouseEventKind::Down(MouseButton::Left);
        let click = MouseEvent { kind, column: x as u16, row: y as u16, modifiers: KeyModifiers::NONE };
        self.app.handle_event(&Event::Mouse(click));
        self.hand_over();
    }

    fn press(&mut self, key: &str) {
        let code = match key {
            "Enter" => KeyCode::Enter,
            "Esc" => KeyCode::Esc,
            "Up" => KeyCode::Up,
            "Down" => KeyCode::Down,
            "Left" => KeyCode::Left,
            "Right" => KeyCode::Right,
            "Del" => KeyCode::Delete,
            "PageUp" => KeyCode::PageUp,
            "PageDown" => KeyCode::PageDown,
            other => KeyCode::Char(other.chars().next().expect("a key")),
        };
        self.app.handle_event(&Event::Key(KeyEvent::new(code, KeyModifiers::NONE)));
        self.hand_over();
    }

    fn draw(&mut self) -> String {
        self.terminal.draw(|frame| self.app.draw(frame)).expect("a buffer");
        text(self.terminal.backend().buffer())
    }

    fn hand_over(&mut self) {
        for order in self.app.take_orders() {
            self.give.give(order);
        }
    }

    fn act(&mut self, act: Act, screen: &str) -> Result<(), String> {
        let holds = |so: bool| if so { Ok(()) } else { Err(format!("{act:?} does not hold:\n{screen}")) };
        match act {
            Key(key) => {
                self.press(key);
                self.draw();
                Ok(())
            }
            Keys(keys) => {
                keys.iter().for_each(|key| self.press(key));
                self.draw();
                Ok(())
            }
            LateClick(words) => unreachable!("{words}: clicked as the snapshot came"),
            Sees(words) => holds(screen.contains(words)),
            Misses(words) => holds(!screen.contains(words)),
            Row(slot, words) => {
                let start = format!("Slot {slot} ");
                let lines = screen.lines().skip_while(|line| !line.trim_start().starts_with(&start)).take(3);
                holds(lines.collect::<String>().contains(words))
            }
            Chosen(words) => holds(screen.lines().any(|line| line.contains('▸') && line.contains(words))),
            Left => holds(self.app.left()),
        }
    }
}

impl Observer for Person<'_> {
    fn handle_report(&mut self, at: Micros, node: mantle_core::device::NodeId, bytes: &[u8]) {
        self.publisher.handle_report(at, node, bytes);
    }

    fn handle_history(&mut self, asker: Asker, request: &HistoryRequest) {
        self.publisher.handle_history(asker, request);
        for answer in self.mailbox.take_histories() {
            self.app.handle_history(answer);
        }
    }

    fn handle_frame(&mut self, _: Micros, _: SlotNumber, _: &Events) {}

    fn handle_note(&mut self, note: Note) {
        self.publisher.handle_note(note);
    }

    fn handle_answer(&mut self, number: CommandNumber, answer: Answer) {
        self.publisher.handle_answer(number, answer);
    }

    fn handle_watch(&mut self, asker: Asker, watch: Watch) {
        self.publisher.handle_watch(asker, watch);
    }

    fn deadline(&self) -> Option<Micros> {
        Some(self.next)
    }

    fn look(&mut self, now: Micros, table: &Table) {
        if now < self.next {
            return;
        }
        self.next = now.after(Micros::millis(33));
        let screen = self.screen(now, table);
        while let Some((at, act)) = self.script.get(self.done).copied() {
            // A late click waits for the next snapshot.
            if now.as_seconds() < at || matches!(act, LateClick(_)) {
                return;
            }
            self.done += 1;
            if let Err(why) = self.act(act, &screen) {
                self.wrong.push(format!("at {at} s: {why}"));
            }
            // One thing at a time: the consequences are seen only at the next look.
            if matches!(act, Key(_) | Keys(_)) {
                return;
            }
        }
    }
}

fn text(buffer: &Buffer) -> String {
    let rows = buffer.content.chunks(usize::from(buffer.area.width));
    rows.map(|row| row.iter().map(|cell| cell.symbol()).collect::<String>()).collect::<Vec<_>>().join("\n")
}

fn play(scene: &str, script: &[(f64, Act)]) {
    let scene = shipped::scene(scene).expect("a shipped scene");
    let (give, taken) = orders(|| {});
    let last = script.last().expect("something happens").0;
    let pace = Pace::Virtual { until: Micros((last * 1e6) as u64).after(Micros::seconds(1)) };
    let mut world = SimWorld::new(&scene, pace, Some(taken)).expect("it can be played");
    let mut table = Table::new(world.settings());
    let header = Header { title: scene.title.clone(), demo: true, ..Header::default() };
    let mailbox = Mailbox::new(|| {});
    let mut person = Person {
        publisher: Publisher::new(mailbox.clone(), header),
        mailbox,
        app: App::new(Look::default()),
        terminal: Terminal::new(TestBackend::new(160, 46)).expect("a buffer"),
        give,
        script,
        done: 0,
        wrong: Vec::new(),
        next: Micros(0),
    };
    mantle_engine::run(&mut world, &mut table, &mut person);
    assert_eq!(person.done, script.len(), "the scene ended before the person had done everything");
    let mut text = String::new();
    for wrong in &person.wrong {
        let _ = writeln!(text, "{wrong}\n");
    }
    assert!(person.wrong.is_empty(), "{text}");
}

#[test]
fn a_device_in_hand_follows_the_keys() {
    play(
        "tidewater",
        &[
            (3.0, Key("h")),
            (3.1, Sees("in hand:")),
            (3.2, Row(1, "neutral")),
            (3.3, Key("1")),
            (3.4, Row(1, "South")),
            // A key of a terminal has no release: it is a short press.
            (3.8, Row(1, "neutral")),
            (3.9, Key("Up")),
            (4.0, Row(1, "up")),
            (4.5, Key("9")),
            (4.6, Row(1, "Select")),
            (5.0, Row(1, "neutral")),
            (5.1, Key("Esc")),
            (5.2, Misses("in hand:")),
        ],
    );
}

/// Measuring begins between the frame in which the hint is read and the click on it.
#[test]
fn a_hint_clicked_just_as_the_view_changes_does_nothing_else() {
    play(
        "tidewater",
        &[
            (3.0, Key("1")),
            (3.1, Key("F")),
            (3.2, Sees("outer dead zone")),
            (3.3, Key("z")),
            (3.31, LateClick("Esc put it down")),
            // The board has this heading, the view does not.
            (3.4, Misses("Slot 1 ▸ Feel")),
            (3.4, Sees("Hands off")),
            (3.4, Sees("in hand:")),
            (3.5, LateClick("Esc stop")),
            (3.6, Misses("Hands off")),
            (3.6, Misses("in hand:")),
            (3.6, Sees("Esc board")),
        ],
    );
}

/// Lists are offered and settings stepped by what is known of the row, and an order may open another view: keys that come before that wait for
/// it, with all that is typed after them.
#[test]
fn keys_faster_than_the_engine_act_on_what_they_were_meant_for() {
    play(
        "tidewater",
        &[
            (3.0, Keys(&["2", "B", "/", "r", "s", "l", "Enter"])),
            (3.2, Chosen("right stick left")),
            (3.3, Key("Esc")),
            (3.4, Keys(&["1", "F", "Enter", "1", "2", "Enter"])),
            (3.7, Chosen("dead zone        12 %")),
            (3.8, Keys(&["Esc", "2", "B", "/", "Esc", "Esc"])),
            (4.0, Misses("Find a control")),
            (4.0, Sees("Enter open")),
            // Moving opens Pad; whoever goes on at once stays where they went, with the player that they moved.
            (4.1, Keys(&["2", "m", "7", "Enter", "G"])),
            (4.4, Sees("the system calls it simulated pad 7")),
            (4.5, Keys(&["Esc", "u"])),
            (4.8, Row(2, "Quay pad")),
        ],
    );
}

#[test]
fn placing_moving_taking_out_and_undoing() {
    play(
        "tidewater",
        &[
            (1.0, Sees("no slot     Kestrel puck")),
            (1.1, Key("Down")),
            (1.2, Key("Down")),
            (1.3, Key("Down")),
            (1.4, Key("Down")),
            (1.5, Key("p")),
            (1.6, Sees("Place Kestrel puck")),
            // Where somebody sits it could only be tied, and the question says so.
            (1.7, Key("2")),
            (1.9, Sees("Tie Kestrel puck to")),
            (2.0, Sees("Both become one player, with the profile ferry.")),
            (2.1, Key("6")),
            (2.2, Sees("Place Kestrel puck")),
            (2.3, Key("Right")),
            (2.4, Key("Enter")),
            // Placing goes on to Pad.
            (2.6, Sees("seen to full and back")),
            (2.7, Key("Esc")),
            (2.8, Row(6, "Kestrel puck")),
            (2.9, Row(6, "garden")),
            (3.0, Misses("no slot     Kestrel puck")),
            (3.1, Key("m")),
            (3.2, Sees("Move the player in slot 6")),
            (3.3, Key("1")),
            (3.4, Key("Enter")),
            (3.5, Key("Esc")),
            (3.6, Row(1, "Kestrel puck")),
            (3.7, Row(6, "Harbour panel")),
            (3.8, Key("u")),
            (4.0, Row(1, "Harbour panel")),
            (4.1, Row(6, "Kestrel puck")),
            (4.2, Key("6")),
            (4.3, Key("x")),
            (4.5, Sees("no slot     Kestrel puck")),
            (4.6, Key("u")),
            (4.8, Row(6, "Kestrel puck")),
        ],
    );
}

#[test]
fn letting_go_and_playing_again_with_the_key_of_the_sentence() {
    play(
        "tidewater",
        &[
            (2.0, Sees("All is well: 4 slots play.")),
            (2.1, Key("l")),
            (2.3, Sees("Everything is let go from here: all pads are neutral, and nothing is held.  w play again")),
            (3.0, Row(1, "neutral")),
            (3.1, Row(2, "neutral")),
            (3.2, Row(1, "paused")),
            (3.3, Sees("l resume")),
            (3.4, Key("w")),
            (5.5, Sees("All is well: 4 slots play.")),
        ],
    );
}

#[test]
fn the_sentence_leads_to_its_subject() {
    play(
        "no-permission",
        &[
            (1.0, Key("Down")),
            (1.1, Sees("Slot 1 stops at Device: your account may not read Harbour panel.")),
            (1.2, Sees("w look at Device")),
            (1.3, Key("w")),
            (1.5, Sees("refused (EACCES)")),
            (1.6, Sees("Harbour panel")),
            (1.7, Key("Esc")),
            (1.8, Sees("next: mend Device")),
        ],
    );
}

#[test]
fn an_empty_table_and_unavailable_keys_say_what_to_do() {
    play(
        "empty",
        &[
            (0.5, Sees("No device is connected. Plug in a controller, or pair it, and it appears here.")),
            (0.6, Misses("p place")),
            (0.7, Key("p")),
            (0.8, Sees("no device is chosen")),
            (0.9, Key("x")),
            (1.0, Sees("no slot is chosen")),
            (1.1, Key("w")),
            (1.2, Sees("Connect a device")),
            (1.25, Key("Esc")),
            (1.3, Key("5")),
            (1.4, Sees("slot 5 is not in use")),
            (1.5, Key("u")),
            (1.6, Sees("nothing to undo")),
            (1.7, Key("Enter")),
            (1.8, Sees("Nothing is connected, and no slot is in use.")),
            // Nothing is live, so leaving asks nothing.
            (1.9, Key("q")),
            (2.0, Left),
        ],
    );
}

#[test]
fn leaving_the_demo_asks_nothing_and_the_journal_leads_back() {
    play(
        "tidewater",
        &[
            (1.0, Key("1")),
            (1.05, Key("B")),
            (1.1, Sees("Slot 1")),
            (1.15, Sees("Tab next")),
            (1.2, Key("j")),
            (1.3, Sees("Quay pad is connected")),
            (1.4, Key("Esc")),
            // Where it was called from.
            (1.5, Sees("Tab next")),
            (1.6, Key("q")),
            (1.7, Left),
        ],
    );
}

#[test]
fn a_device_is_left_to_the_game_and_taken_back() {
    play(
        "tidewater",
        &[
            (1.0, Row(2, "covered")),
            (1.1, Key("2")),
            (1.2, Key("g")),
            (1.4, Row(2, "left to the game")),
            (1.5, Key("G")),
            (1.6, Sees("left to the game, on purpose")),
            (1.7, Key("g")),
            (2.6, Sees("not listed")),
        ],
    );
}

#[test]
fn the_journal_can_be_read_back_and_every_view_has_its_keys() {
    play(
        "pulled-out",
        &[
            (6.0, Key("j")),
            (6.1, Sees("newest last")),
            (6.2, Sees("is kept for it")),
            (6.3, Sees("older")),
            (6.4, Key("?")),
            (6.5, Sees("Keys")),
            (6.6, Key("Esc")),
            (6.7, Key("Esc")),
            (6.8, Misses("newest last")),
            (6.9, Key("D")),
            (7.0, Sees("what happened to it, newest first; j shows all")),
            (7.1, Key("R")),
            (7.2, Sees("as hidraw gives them")),
            (7.3, Key("B")),
            (7.4, Sees("← button 1")),
            (7.5, Key("F")),
            (7.6, Sees("+ and - change it at once")),
            (7.7, Key("Right")),
            (7.8, Sees("seen to full and back")),
        ],
    );
}

#[test]
fn two_devices_are_tied_as_one_player_and_separated_again() {
    play(
        "tidewater",
        &[
            (0.3, Key("2")),
            (0.4, Key("t")),
            (0.5, Sees("Tie Quay pad to")),
            (0.6, Sees("Both become one player, with the profile garden.")),
            (0.7, Key("Enter")),
            (0.9, Sees("seen to full and back")),
            (1.0, Key("Esc")),
            (1.2, Row(1, "+ Quay pad · covered")),
            (1.3, Misses("Slot 2")),
            (1.4, Key("u")),
            (1.9, Row(2, "Quay pad")),
            (2.0, Key("U")),
            (2.5, Row(1, "+ Quay pad · covered")),
            (2.6, Key("1")),
            (2.65, Key("Enter")),
            (2.7, Key("D")),
            (2.8, Key("t")),
            (2.9, Sees("Who plays as slot 1")),
            (3.0, Sees("▸ Quay pad")),
            (3.1, Key("Up")),
            (3.2, Sees("▸ Harbour panel")),
            (3.3, Key("Down")),
            (3.4, Key("Enter")),
            (3.5, Key("Esc")),
            (3.9, Misses("+ Quay pad")),
        ],
    );
}

#[test]
fn profiles_are_compared_copied_renamed_deleted_and_restored() {
    play(
        "tidewater",
        &[
            (0.3, Key("2")),
            (0.4, Key("S")),
            (0.6, Sees("Enter: slot 2 plays by the chosen one")),
            (0.7, Sees("▸ ferry")),
            (0.8, Key("Up")),
            (1.0, Sees("differences between garden and ferry")),
            (1.1, Sees("South is called")),
            (1.2, Key("Enter")),
            (1.5, Sees("slots 1, 2")),
            (1.6, Key("u")),
            (1.9, Misses("slots 1, 2")),
            (2.0, Key("c")),
            (2.3, Sees("▸ garden copy")),
            (2.4, Key("n")),
            (2.5, Sees("Rename the profile")),
            (2.6, Key("x")),
            (2.7, Key("y")),
            (2.8, Key("Enter")),
            (3.1, Sees("▸ xy")),
            (3.2, Sees("  garden                slot 1")),
            (3.3, Key("Del")),
            (3.6, Misses("  xy")),
            (3.7, Key("u")),
            (4.0, Sees("  xy")),
            (4.1, Key("Esc")),
            (4.2, Row(1, "garden")),
        ],
    );
}

#[test]
fn reports_glow_freeze_and_step() {
    play(
        "tidewater",
        &[
            (0.3, Key("2")),
            (0.4, Key("R")),
            (4.0, Sees("id 1  9 bytes  125 /s  every 8.0, jitter 0.0, longest 8.0 ms")),
            (4.1, Sees("  0  01   1  · · · ·  · · · ●   never changed")),
            (4.2, Sees(" bit  no field             raw")),
            (4.3, Misses("stopped")),
            (4.4, Key("[")),
            (4.5, Sees("f stops the view; then you can step through it")),
            (4.6, Key("f")),
            (5.0, Sees("0 later, 255 and more earlier, of the last 30 s")),
            (5.1, Key("[")),
            (5.2, Key("[")),
            (5.3, Sees("2 later, 253 and more earlier")),
            (5.4, Key("]")),
            (5.5, Sees("1 later, 254 and more earlier")),
            // Five times fifty back: older ones are fetched on the way.
            (5.6, Key("{")),
            (5.7, Key("{")),
            (5.8, Key("{")),
            (5.9, Key("{")),
            (6.0, Key("{")),
            (6.2, Sees("251 later")),
            (6.3, Key("{")),
            (6.4, Sees("301 later")),
            (6.5, Key("f")),
            (6.6, Misses(" earlier, of the last")),
            // Another view, and it goes on by itself.
            (6.7, Key("f")),
            (6.9, Sees("stopped")),
            (7.0, Key("D")),
            (7.1, Key("R")),
            (7.2, Misses("stopped")),
            (7.3, Key("3")),
            (7.4, Sees("id 1  7 bytes  100 /s")),
            (7.5, Sees("id 2  7 bytes  100 /s")),
        ],
    );
}

#[test]
fn a_twin_returning_at_another_port_raises_a_question() {
    play("twins", &[(3.1, Sees("Two devices are alike: press a button on the Quay pad that belongs in slot 1."))]);
}

#[test]
fn a_puck_is_placed_as_a_flight_stick_and_its_kind_is_changed_and_taken_back() {
    play(
        "tidewater",
        &[
            (1.0, Sees("no slot     Kestrel puck")),
            (1.1, Key("Down")),
            (1.2, Key("Down")),
            (1.3, Key("Down")),
            (1.4, Key("Down")),
            (1.5, Key("p")),
            // It is better for flying: that is proposed, with room for what it has.
            (1.6, Sees("X Y Z Rx Ry Rz, 2 buttons, no hats")),
            (1.7, Key("+")),
            (1.8, Key("h")),
            (1.9, Sees("X Y Z Rx Ry Rz, 3 buttons, 1 hat")),
            (2.0, Key("-")),
            (2.1, Key("Enter")),
            (2.4, Sees("Rz minus")),
            (2.6, Misses("left trigger")),
            (2.7, Key("p")),
            (2.8, Key("k")),
            (2.85, Key("k")),
            (2.9, Sees("no pad: keys and the mouse")),
            (3.0, Key("k")),
            (3.1, Sees("Games see its pad disappear and another appear.")),
            (3.2, Key("Enter")),
            (3.5, Sees("left stick up")),
            (3.6, Misses("Rz minus")),
            (3.7, Key("u")),
            (4.0, Sees("Rz minus")),
            (4.1, Misses("left stick up")),
        ],
    );
}

#[test]
fn up_and_down_move_the_row_of_a_list_and_never_the_slot() {
    play(
        "tidewater",
        &[
            (1.0, Row(1, "Harbour panel")),
            (1.1, Key("Right")),
            (1.2, Key("Right")),
            (1.3, Key("Right")),
            (1.4, Key("Enter")),
            (1.6, Sees("on Harbour panel")),
            (1.7, Chosen("South")),
            (1.8, Key("Down")),
            (1.9, Chosen("East")),
            (2.0, Sees("on Harbour panel")),
            (2.1, Key("Up")),
            (2.2, Chosen("South")),
            (2.3, Key("PageDown")),
            (2.5, Sees("on Quay pad")),
            (2.6, Key("PageUp")),
            (2.8, Sees("on Harbour panel")),
            // In Feel they go through the settings.
            (2.9, Key("Right")),
            (3.1, Sees("Slot 1")),
            (3.2, Key("Down")),
            (3.4, Chosen("outer dead zone")),
            (3.5, Sees("Slot 1")),
        ],
    );
}

/// What is done is reported, as is what cannot be done: what, where, and that it can be undone. A default binding has options like any other, and the
/// profile that is made for it is named.
#[test]
fn actions_are_confirmed_and_guesses_step_visibly() {
    play(
        "tidewater",
        &[
            (1.0, Key("2")),
            (1.1, Key("B")),
            (1.3, Key("]")),
            (1.4, Key("+")),
            (1.8, Sees("in ferry; u undoes it")),
            (1.9, Key("u")),
            (2.3, Sees("✓ undone: ")),
            (2.4, Sees("; U redoes it")),
            (2.5, Key("U")),
            (2.9, Sees("✓ redone: ")),
            (3.0, Key("u")),
            (3.3, Key("Esc")),
            (3.4, Key("L")),
            (3.6, Sees("✓ slot 2 rests; u undoes it")),
            (3.7, Key("u")),
            (3.9, Sees("✓ undone: slot 2 rests; U redoes it")),
            (4.0, Key("u")),
            (4.2, Sees("▲ nothing to undo")),
        ],
    );
    play(
        "tidewater",
        &[
            (1.0, Key("2")),
            (1.1, Key("B")),
            (1.3, Key("Del")),
            (1.7, Sees("✓ nothing plays South, in ferry; u undoes it")),
            (1.8, Key("+")),
            (2.0, Sees("nothing plays it here: bind it first (Enter)")),
        ],
    );
}

/// For hands that cannot hammer: a binding is pressed repeatedly, or in a row, which the list says beside its source.
#[test]
fn a_binding_repeats_while_held() {
    play(
        "tidewater",
        &[
            (1.0, Key("2")),
            (1.1, Key("B")),
            (1.2, Sees("again")),
            (1.3, Key("]")),
            (1.4, Key("]")),
            (1.5, Key("]")),
            (1.6, Key("]")),
            (1.65, Key("]")),
            (1.7, Key("]")),
            (1.8, Chosen("again")),
            (1.9, Key("+")),
            (2.3, Sees("South: pressed 5 times per second, in ferry")),
            (2.4, Key("+")),
            (2.8, Sees("6 times per second")),
            (2.9, Key("]")),
            (3.0, Key("+")),
            (3.4, Sees("a row of 2 presses")),
            (3.5, Sees("no: held")),
        ],
    );
}

/// The kind of pad is changed where the pad is seen, after a question, since games see another one.
#[test]
fn another_kind_of_pad_is_chosen_in_the_pad_view() {
    play(
        "tidewater",
        &[
            (1.0, Key("2")),
            (1.1, Key("P")),
            (1.3, Key("K")),
            (1.4, Sees("How games see slot 2")),
            (1.5, Sees("It is that kind now.")),
            (1.6, Key("k")),
            (1.7, Sees("Running games see the pad disappear and another appear:")),
            (1.8, Key("Esc")),
            (1.9, Key("K")),
            (2.0, Key("k")),
            (2.1, Key("Enter")),
            (2.4, Sees("✓ slot 2 plays as a flight stick now; u undoes it")),
            (2.5, Key("u")),
            (2.8, Sees("✓ undone: slot 2 plays as a flight stick now")),
            (2.9, Key("Esc")),
            (3.1, Row(2, "common pad")),
        ],
    );
}

/// Pads of the person's own: a file describes one, and the Pad view shows that, with defaults. What libraries would misread is said before it is
/// chosen; a missing file is reported, and so is one that cannot be read.
#[test]
fn pad_files_are_made_and_used() {
    play(
        "wheelhouse",
        &[
            (2.0, Row(1, "Wheelhouse")),
            (2.2, Row(2, "no file")),
            (2.3, Sees("lost.pad.toml")),
            (2.4, Key("1")),
            (2.5, Key("P")),
            (2.8, Sees("1209:9b10 version 0001; usual is 1209:9a7c")),
            (3.0, Sees("with another name or number it is another pad to a game")),
            (3.2, Key("K")),
            (3.4, Sees("3 axes, 3 buttons, 1 hat")),
            (3.5, Key("k")),
            (3.6, Sees("Deckhand")),
            (3.7, Sees("with the ids 045e:028e libraries take button 2 for West")),
            (3.8, Key("Enter")),
            (4.2, Sees("slot 1 plays as the pad Deckhand now")),
            (4.3, Key("u")),
            (4.7, Sees("✓ undone: slot 1 plays as the pad Deckhand now; U")),
            (4.8, Sees("to games    1209:9b10 version 0001")),
            (4.9, Sees("▲ scene/torn.pad.toml:4:8: axis[1].axis = \"sideways\"")),
        ],
    );
}

/// A browser lists one of two pads: the other slot says so, and one key makes its pad a separate device, which can be undone.
#[test]
fn two_players_share_a_browser() {
    play(
        "pages",
        &[
            (3.0, Row(1, "unlisted")),
            (3.2, Sees("Slot 1: lagoon (511) lists only the pad of slot 2")),
            (3.3, Sees("W make it a device of its own")),
            (3.4, Key("W")),
            (3.8, Misses("unlisted")),
            (4.0, Key("1")),
            (4.1, Key("P")),
            (4.4, Sees("a device of its own, by uhid")),
            (4.5, Key("K")),
            (4.7, Sees("a device of its own: for several in one browser")),
            (4.8, Key("p")),
            (4.9, Sees("the pad that every game knows")),
            (5.0, Key("Enter")),
            (5.4, Sees("event nodes of uinput")),
        ],
    );
}

/// Two half pads and a surface are one motion pad: what moves and touches has rows of its own, is typed and not pressed, and who has the pad open is
/// named before its kind changes.
#[test]
fn half_pads_with_motion_are_one_motion_pad() {
    play(
        "turning",
        &[
            (0.8, Row(1, "motion pad")),
            (1.0, Key("1")),
            (1.1, Key("P")),
            (1.3, Sees("pull")),
            (1.4, Sees("+1.00 g")),
            (2.1, Sees("+0 °/s")),
            // It is rotated about what points up, by the hand of its device.
            (2.3, Sees("-6")),
            (2.4, Key("B")),
            (2.5, Sees("← Lantern left: motion")),
            (2.6, Sees("← Slipway slate: contact 1")),
            (2.7, Key("Up")),
            (2.8, Key("Up")),
            (2.9, Key("Up")),
            (3.0, Key("Up")),
            (3.1, Key("+")),
            (3.2, Sees("motion is bound as a whole and has no options")),
            (3.3, Key("Enter")),
            (3.4, Sees("What should play motion")),
            (3.45, Key("Esc")),
            (3.5, Key("P")),
            (3.6, Key("K")),
            (3.8, Misses("ferry-race (412) has it open now.")),
            (3.9, Key("k")),
            (4.0, Sees("ferry-race (412) has it open now.")),
            (4.1, Key("Esc")),
        ],
    );
}

/// Those who fly, and one who only types: what a game is told is counted in pads, not in slots; what would be typed is tried.
#[test]
fn several_kinds_play_at_once() {
    play(
        "flying",
        &[
            (3.0, Row(1, "flight stick")),
            (3.0, Row(2, "flight stick")),
            (3.0, Row(3, "keys only")),
            (3.0, Row(4, "sees pad 3")),
            (3.1, Key("4")),
            (3.2, Key("G")),
            (3.4, Sees("choose controller 3 in the game")),
            (3.5, Key("2")),
            (3.7, Sees("choose joystick 2 in the game")),
            (3.8, Key("3")),
            (3.9, Key("P")),
            (4.1, Sees("There is no pad: games see only keyboard and mouse.")),
            (4.2, Sees("seen to full and back:")),
            (4.3, Sees("key Space")),
            (4.4, Misses("send only it")),
            (4.5, Key("F")),
            (4.7, Sees("There is no pad, so there are no sticks and triggers.")),
            (4.8, Key("B")),
            (5.0, Key("c")),
            (5.3, Sees("Roll call  1 of ")),
            (5.4, Sees("key A: press and release the control for it.")),
            (5.5, Key("Esc")),
            // A profile for a common pad on a flight stick: what has no place is counted and listed.
            (5.6, Key("1")),
            (5.7, Key("S")),
            (5.9, Key("Down")),
            (6.0, Sees("for keys")),
        ],
    );
}
