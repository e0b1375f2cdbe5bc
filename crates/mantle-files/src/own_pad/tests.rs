use super::*;
use mantle_core::pad::PadStart;

#[test]
fn every_broken_pad_file_gets_its_exact_message() {
    let mut said = String::new();
    let all = crate::pointed::fixtures("pads/broken");
    assert!(all.len() >= 20, "{} of them", all.len());
    for (name, text) in all {
        let read = read(&name, &text);
        assert!(!read.faults.is_empty(), "{name} is not broken");
        assert_eq!(read.pad, None, "{name}: a pad with a fault is none");
        for fault in read.faults {
            let _ = writeln!(said, "{fault}");
        }
    }
    insta::assert_snapshot!("broken_pads", said);
}

/// What each valid file is to games, and what would be misread of it.
#[test]
fn every_valid_pad_file_describes_its_pad() {
    let mut said = String::new();
    for (name, text) in crate::pointed::fixtures("pads/good") {
        let read = read(&name, &text);
        assert!(read.faults.is_empty(), "{name}: {:?}", read.faults);
        let pad = read.pad.expect("it is one");
        let model = pad.model();
        let _ = writeln!(said, "{name}: {} ({}); {}", pad.name, pad.has(), pad.numbers());
        let indexes: Vec<_> = model
            .targets
            .iter()
            .map(|target| format!("{} {}", model.name_of(*target), model.game_index(*target)))
            .collect();
        let _ = writeln!(said, "    {}", indexes.join(", "));
        for why in pad.misread() {
            let _ = writeln!(said, "    misread: {why}");
        }
    }
    insta::assert_snapshot!("good_pads", said);
}

/// The text to start from describes the same pad again, and can be changed.
#[test]
fn starter_files_read_back_unchanged() {
    for (_, like) in PadStart::ALL {
        let pad = OwnPad { name: "quay wheel".into(), ..OwnPad::beginning("quay-wheel", like) };
        let text = text_of(&pad);
        let back = read("quay-wheel.pad.toml", &text);
        assert!(back.faults.is_empty(), "{:?}\n{text}", back.faults);
        let back = back.pad.expect("it is one");
        let (mut own, mut told) = (pad.model(), back.model());
        [&mut own, &mut told].into_iter().for_each(|model| model.keys.sort_by_key(|(_, code)| *code));
        assert_eq!(told, own);
        assert!(back.misread().is_empty(), "{:?}", back.misread());
        // An empty file is the pad it starts from.
        let bare = read("x.pad.toml", &format!("version = 1\nlike = \"{}\"\n", like.name())).pad.expect("it is one");
        assert_eq!((bare.buttons.len(), bare.axes, bare.hats), (pad.buttons.len(), pad.axes, pad.hats));
    }
}

#[test]
fn two_files_with_one_name_make_one_pad() {
    let directory = tempfile::tempdir().expect("a directory");
    let write = |file: &str, name: &str| {
        std::fs::write(directory.path().join(file), format!("version = 1\nname = \"{name}\"\n")).expect("written");
    };
    write("a.pad.toml", "Quay wheel");
    write("b.pad.toml", "quay wheel");
    write("c.pad.toml", "Pier wheel");
    write("other.toml", "nothing");
    let (pads, faults) = read_directory(directory.path());
    assert_eq!(pads.iter().map(|pad| pad.file.as_str()).collect::<Vec<_>>(), ["a", "c"]);
    assert_eq!(faults.len(), 1);
    assert!(faults[0].to_string().contains("a.pad.toml has that name already"), "{}", faults[0]);
}
