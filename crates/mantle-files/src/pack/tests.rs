use super::*;
use proptest::prelude::*;

const SHEET: &str = include_str!("../../../../sheets/cellar-pad.sheet.toml");
const CARD: &str = r##"<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"><style>text { font: 4px sans-serif; src: url(data:font/woff2;base64,AA) }</style><g fill="url(#a)"><text x="1" y="2">jump</text></g></svg>"##;

fn pack() -> Pack {
    let mut pack = Pack { about: "the cellar's pad,\nfor the games evening".into(), ..Pack::default() };
    for (name, text) in [
        ("cellar-pad.sheet.toml", SHEET),
        ("ferry.profile.toml", "version = 1\nname = \"ferry\" # ''' \\ \"\"\" \r\n"),
        ("ferry.card.svg", CARD),
    ] {
        pack.add(Packed::new(name, text).expect(name)).expect(name);
    }
    pack
}

#[test]
fn packs_unpack_to_the_same_bytes() {
    let text = pack().to_text();
    assert_eq!(Pack::parse("a.pack.toml", &text).expect("it is whole"), pack());
    let directory = tempfile::tempdir().expect("a directory");
    let written = pack().unpack(directory.path()).expect("unpacked");
    let names: Vec<_> =
        written.iter().map(|path| path.strip_prefix(directory.path()).expect("below").display().to_string()).collect();
    assert_eq!(names, ["sheets/cellar-pad.sheet.toml", "profiles/ferry.profile.toml", "cards/ferry.card.svg"]);
    assert_eq!(fs::read_to_string(&written[0]).expect("read"), SHEET);
}

#[test]
fn effects_on_a_device_are_listed() {
    let lines: Vec<String> = pack().files.iter().flat_map(Packed::does).collect();
    assert!(lines.len() >= 2 && lines.iter().all(|line| line.starts_with("cellar-pad.sheet.toml: ")), "{lines:?}");
    assert!(lines[0].contains("when connected, sends"), "{lines:?}");
}

#[test]
fn a_packed_pad_file_states_its_identity() {
    let text = "version = 1\nname = \"Quay wheel\"\ntitle = \"Quay wheel\"\nvendor = 0x1209\nproduct = 0x9b01\n";
    let packed = Packed::new("quay-wheel.pad.toml", text).expect("it can be packed");
    assert_eq!((packed.kind, packed.kind.directory()), (Kind::Pad, "pads"));
    assert_eq!(packed.does(), ["quay-wheel.pad.toml: once you choose it, appears as \"Quay wheel\" 1209:9b01"]);
    let broken = Packed::new("quay-wheel.pad.toml", "version = 1\nvendor = -1\n").expect_err("it is broken");
    assert!(broken.contains("nothing of this pad file can be used: quay-wheel.pad.toml:2:10"), "{broken}");
    let mut pack = Pack::default();
    pack.add(packed).expect("there is room");
    let directory = tempfile::tempdir().expect("a directory");
    let back = Pack::parse("x.pack.toml", &pack.to_text()).expect("it is read");
    back.unpack(directory.path()).expect("taken out");
    let found = std::fs::read_to_string(directory.path().join("pads/quay-wheel.pad.toml")).expect("it is there");
    assert_eq!(found, text);
}

#[test]
fn unpacking_overwrites_nothing_and_is_all_or_nothing() {
    let directory = tempfile::tempdir().expect("a directory");
    let mine = directory.path().join("profiles/ferry.profile.toml");
    fs::create_dir_all(mine.parent().expect("it has one")).expect("made");
    fs::write(&mine, "mine").expect("written");
    let error = pack().unpack(directory.path()).expect_err("it is there already");
    assert_eq!(error.kind(), io::ErrorKind::AlreadyExists);
    assert!(error.to_string().contains("ferry.profile.toml"), "{error}");
    assert_eq!(fs::read_to_string(&mine).expect("read"), "mine");
    assert!(!directory.path().join("sheets/cellar-pad.sheet.toml").exists(), "the one before it is gone again");
}

#[test]
fn unpacking_does_not_follow_a_link() {
    let directory = tempfile::tempdir().expect("a directory");
    let outside = directory.path().join("outside");
    fs::create_dir_all(directory.path().join("own/sheets")).expect("made");
    let link = directory.path().join("own/sheets/cellar-pad.sheet.toml");
    std::os::unix::fs::symlink(&outside, link).expect("linked");
    pack().unpack(&directory.path().join("own")).expect_err("something is there");
    assert!(!outside.exists());
}

#[test]
fn unpacking_does_not_follow_a_linked_directory() {
    let directory = tempfile::tempdir().expect("a directory");
    let (own, outside) = (directory.path().join("own"), directory.path().join("outside"));
    fs::create_dir_all(&outside).expect("made");
    fs::create_dir_all(&own).expect("made");
    std::os::unix::fs::symlink(&outside, own.join("profiles")).expect("linked");
    let error = pack().unpack(&own).expect_err("a link").to_string();
    assert!(error.contains("own/profiles: it is a link"), "{error}");
    assert_eq!(fs::read_dir(&outside).expect("read").count(), 0);
    assert_eq!(fs::read_dir(own.join("sheets")).expect("read").count(), 0, "the one before it is gone again");
    // People may well reach their own directory through a link.
    let behind = directory.path().join("behind");
    std::os::unix::fs::symlink(&outside, &behind).expect("linked");
    assert_eq!(pack().unpack(&behind).expect("unpacked").len(), 3);
}

#[test]
fn everything_sent_or_typed_is_listed_in_full() {
    let long = "version = 1\nname = \"P\"\n[match]\nvendor = 0x1209\n[[start_up]]\nsend = \"output\"\nbytes = \"01 02 03 04 05 06 07 08 09 0a 0b 0c 0d 0e 0f 10\"\n\
                [[control]]\nname = \"a\"\nkind = \"button\"\nreport = 1\nat = 8\n";
    let lines = Packed::new("a.sheet.toml", long).expect("a sheet").does();
    assert!(lines.iter().any(|line| line.ends_with("01 02 03 04 05 06 07 08 09 0a 0b 0c 0d 0e 0f 10")), "{lines:?}");
    let keys = "version = 1\nname = \"p\"\n[[binding]]\ntarget = \"key A\"\nsource = \"button 1\"\n[[binding]]\ntarget = \"key left arrow\"\nsource = \"button 2\"\n";
    let lines = Packed::new("p.profile.toml", keys).expect("a profile").does();
    assert_eq!(lines, ["p.profile.toml: once you allow it in the Bindings view, types key A, key left arrow"]);
}

#[test]
fn bad_packs_are_reported_with_place_and_reason() {
    let file = |name: &str, text: &str| format!("version = 1\n[[file]]\nname = {name:?}\ntext = {text:?}\n");
    let sheet = "version = 1\nname = \"P\"\n[match]\nvendor = 0x1209\n[[control]]\nname = \"a\"\nkind = \"button\"\nreport = 1\nbit = 3\n";
    let card = |inside: &str| file("a.card.svg", &format!("<svg xmlns=\"http://www.w3.org/2000/svg\">{inside}</svg>"));
    let cases = [
        ("version = 2\n".to_owned(), "p:1:11: version 2 is unknown; this program reads 1"),
        ("version = 1\n".into(), "p: it is empty"),
        ("version = 1\nrun = \"rm\"\n".into(), "p:2:1: unknown field `run`"),
        (file("../a.sheet.toml", sheet), "p:3:8: \"../a.sheet.toml\" is not a valid name for a packed file"),
        (file("/etc/a.sheet.toml", sheet), "is not a valid name for a packed file"),
        (file("a.desktop", "x"), "is not a valid name for a packed file"),
        (file(".sheet.toml", sheet), "is not a valid name for a packed file"),
        (file("a b.sheet.toml", sheet), "is not a valid name for a packed file"),
        (file("a.sheet.toml", "version = 9\n"), "nothing of this sheet can be used: a.sheet.toml:1:"),
        (file("a.profile.toml", "x = \n"), "nothing of this profile can be used: a.profile.toml:1:"),
        (card("<script>1</script>"), "<script> is not allowed in a card"),
        (card("<rect onclick=\"x\"/>"), "onclick=\"…\" is not allowed in a card: it would run"),
        (card("<g style=\"fill:url(http://a)\"/>"), "it would fetch something"),
        (card("<style>@import 'a'</style>"), "its style would fetch something"),
        (card("<a href=\"x\"/>"), "<a> is not allowed in a card"),
        (file("a.card.svg", "<!DOCTYPE svg><svg/>"), "not SVG: "),
        (file("a.card.svg", "<html/>"), "not SVG: its first element is something else"),
    ];
    for (text, expected) in cases {
        let fault = Pack::parse("p", &text).expect_err(&text).to_string();
        assert!(fault.contains(expected), "{fault}\n  expected: {expected}");
    }
    let twice = format!(
        "{}[[file]]\nname = \"a.profile.toml\"\ntext = \"version = 1\"\n",
        file("a.profile.toml", "version = 1")
    );
    let fault = Pack::parse("p", &twice).expect_err("twice").to_string();
    assert_eq!(fault, "p:6:8: a.profile.toml would be in it twice");
}

proptest! {
    #[test]
    fn any_text_survives_packing(text in "(?s).{0,300}", about in "[ -~\n]{0,40}") {
        let text = format!("version = 1\n# {}\n", text.replace(|c: char| c.is_control(), " "));
        let mut pack = Pack { about, ..Pack::default() };
        pack.add(Packed::new("a.profile.toml", &text).expect("a comment")).expect("it fits");
        prop_assert_eq!(Pack::parse("p", &pack.to_text()).expect("ours"), pack);
    }

    #[test]
    fn any_bytes_are_handled_without_panic(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
        let _ = Pack::parse("p", &String::from_utf8_lossy(&bytes));
    }
}
