//! Set-ups with nothing wrong in them, played for a while.

use mantle_core::command::Command;

type Sound = (&'static str, String, Vec<(f64, Command)>, Vec<f64>);

/// One of the shipped devices with its own hands.
fn device(file: &str, more: &str) -> String {
    format!("[[device]]\nfile = \"{file}\"\nport = \"1-3\"\n{more}\n")
}

fn second(file: &str, more: &str) -> String {
    format!("[[device]]\nfile = \"{file}\"\nport = \"2-4\"\n{more}\n")
}

pub fn all() -> Vec<Sound> {
    let long = || vec![6.0, 20.0, 60.0];
    let hand = |control: &str, rest: &str| format!("[[device.hand]]\ncontrol = \"{control}\"\n{rest}\n");
    let quay = |hands: &str| device("quay-pad", hands);
    let button = hand("button 1", "at = 1.0\nevery = 1.0\nhold = 0.2");
    let mut all: Vec<Sound> = Vec::new();
    let mut add = |what, scene: String, at: Vec<f64>| all.push((what, scene, Vec::new(), at));
    add("a plain pad", quay(""), long());
    add("an arcade panel", device("harbour-panel", ""), long());
    add("two pads behind one plug", device("jetty-box", ""), long());
    add("a pad by its sheet", device("cellar-pad", ""), long());
    add("two pads", device("quay-pad", "serial = \"A\"") + &second("quay-pad", "serial = \"B\""), long());
    let radio = second("quay-pad", "serial = \"AA:01\"\nbus = \"bluetooth\"");
    add("one pad by cable and by radio", device("quay-pad", "serial = \"AA:01\"") + &radio, long());
    add(
        "four devices",
        device("quay-pad", "serial = \"A\"")
            + &second("quay-pad", "serial = \"B\"")
            + "[[device]]\nfile = \"harbour-panel\"\nport = \"3-1\"\n[[device]]\nfile = \"jetty-box\"\nport = \"3-2\"\n",
        long(),
    );
    add(
        "a trigger held for a minute",
        quay(&(button.clone() + &hand("accelerator", "at = 2.0\nto = 255\nover = 0.2\nhold = 60.0"))),
        vec![30.0, 61.0],
    );
    add(
        "a button held for a minute",
        quay(&(button.clone() + &hand("button 2", "at = 2.0\nhold = 70.0"))),
        vec![30.0, 61.0],
    );
    add(
        "a stick held to its end",
        quay(&(button.clone() + &hand("X", "at = 2.0\nto = 255\nover = 0.2\nhold = 30.0"))),
        vec![10.0, 25.0],
    );
    add(
        "a stick held half way for a while",
        quay(&(button.clone() + &hand("X", "at = 2.0\nto = 200\nover = 0.2\nhold = 5.0"))),
        vec![4.0, 6.9],
    );
    add(
        "a stick held a third of the way, and still",
        quay(
            &(button.clone()
                + &hand("X", "at = 1.0\nto = 255\nover = 0.2\nhold = 1.0\nback = 0.2")
                + &hand("X", "at = 3.0\nto = 170\nover = 0.2\nhold = 25.0")),
        ),
        vec![12.0, 27.0],
    );
    add(
        "a stick that rests a little off its middle",
        quay(&format!("rest = [{{ control = \"X\", value = 131 }}]\n{button}")),
        long(),
    );
    add(
        "a stick that trembles inside its dead zone",
        quay(&format!("trembles = [{{ control = \"X\", by = 2 }}]\n{button}")),
        long(),
    );
    add(
        "a stick in circles",
        quay(
            &(button.clone()
                + &hand("X", "at = 1.0\nevery = 0.8\nto = 255\nover = 0.2\nhold = 0.0\nback = 0.2")
                + &hand("Y", "at = 1.2\nevery = 0.8\nto = 0\nover = 0.2\nhold = 0.0\nback = 0.2")),
        ),
        long(),
    );
    add(
        "a stick pushed by a careful hand",
        quay(
            &(button.clone()
                + &(0..12)
                    .map(|n| {
                        hand(
                            "X",
                            &format!(
                                "at = {}.0\nto = {}\nover = 0.3\nhold = 0.3\nback = 0.3",
                                2 + 2 * n,
                                195 + n * 11 % 50
                            ),
                        )
                    })
                    .collect::<String>()),
        ),
        vec![20.0, 40.0],
    );
    add("quick taps", quay(&hand("button 3", "at = 1.0\nevery = 0.25\nhold = 0.06")), long());
    add(
        "a device that is never touched after a press",
        quay(&hand("button 1", "at = 1.0\nhold = 0.2")),
        vec![5.0, 100.0],
    );
    add(
        "a panel that says only what changes, silent for a minute",
        device("harbour-panel", "[[device.hand]]\ncontrol = \"button 2\"\nat = 1.0\nhold = 0.2\n"),
        vec![5.0, 70.0],
    );
    add("one damaged report", quay("") + "[[report]]\nport = \"1-3\"\nat = 3.0\nbytes = \"01 00\"\n", vec![10.0]);
    add("unplugged once, and back", quay("gone = [[3.0, 5.0]]"), vec![12.0]);
    add("left to the game beside one that plays", quay("") + &second("harbour-panel", "left = true"), long());
    add("taken out beside one that plays", quay("") + &second("harbour-panel", "slots = [0]"), long());
    add("a device slow in coming", quay("at = 4.0"), vec![12.0]);
    add(
        "uinput that comes a little later",
        String::from("[machine]\nuinput = \"absent\"\nuinput_mended_at = 2.0\n") + &quay(""),
        vec![12.0],
    );
    add("a full battery", device("lantern-left", ""), long());
    add(
        "a profile that fits",
        String::from(
            "[[profile]]\nname = \"own\"\ntext = '''\nversion = 1\nname = \"own\"\n[[binding]]\ntarget = \"South\"\nsource = \"button 2\"\n[[binding]]\ntarget = \"East\"\nsource = \"button 1\"\n'''\n",
        ) + &quay("profile = \"own\"\nslots = [1]"),
        long(),
    );
    add(
        "a layer that is used",
        String::from(
            "[[profile]]\nname = \"own\"\ntext = '''\nversion = 1\nname = \"own\"\n[[layer]]\nname = \"aim\"\nhold = \"button 5\"\n[[binding]]\ntarget = \"South\"\nsource = \"button 2\"\nlayer = \"aim\"\n'''\n",
        ) + &quay(&format!("profile = \"own\"\nslots = [1]\n{button}")),
        long(),
    );
    add(
        "a usual dead zone",
        String::from("[[profile]]\nname = \"soft\"\ndead_zone = 0.2\n") + &quay("profile = \"soft\"\nslots = [1]"),
        long(),
    );
    all
}
