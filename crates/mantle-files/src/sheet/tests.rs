use super::*;
use mantle_core::control::{Packing, Plays};
use mantle_core::device::{Bus, Identity};
use mantle_core::pad::PadTarget;
use mantle_core::sheet::Where;
use proptest::prelude::*;

fn folder(name: &str) -> Vec<(String, String)> {
    crate::pointed::fixtures(&format!("sheets/{name}"))
}

/// Every broken sheet in the folder, with the exact words that the person gets, and how much of it still works.
#[test]
fn every_broken_sheet_gets_its_exact_message() {
    let broken = folder("broken");
    assert!(broken.len() >= 40, "only {} broken sheets", broken.len());
    let mut said = String::new();
    for (name, text) in &broken {
        let read = read(name, text);
        assert!(!read.faults.is_empty(), "{name} is not broken");
        for fault in &read.faults {
            assert!(fault.line > 0, "{fault} has no place");
            said.push_str(&format!("{fault}\n"));
        }
        let works = match read.sheet {
            Some(sheet) => format!("    works: {} controls, {} checksums\n", sheet.controls.len(), sheet.checks.len()),
            None => "    nothing of it can be used\n".into(),
        };
        said.push_str(&works);
    }
    insta::assert_snapshot!("broken_sheets", said);
}

#[test]
fn every_valid_sheet_is_read_without_faults() {
    for (name, text) in folder("good") {
        let read = read(&name, &text);
        assert_eq!(read.faults, [], "{name}");
        assert!(read.sheet.is_some_and(|sheet| !sheet.controls.is_empty()), "{name}");
    }
}

#[test]
fn a_written_sheet_reads_back_the_same() {
    let shipped = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../sheets");
    let (mut sheets, faults) = read_directory(&shipped);
    assert_eq!(faults, []);
    sheets.extend(folder("good").iter().filter_map(|(name, text)| read(name, text).sheet));
    assert!(sheets.len() >= 6);
    for sheet in sheets {
        let text = write(&sheet);
        let again = read(&sheet.origin, &text);
        assert_eq!(again.faults, [], "{text}");
        assert_eq!(again.sheet, Some(sheet), "{text}");
    }
}

#[test]
fn an_incomplete_start_up_is_ignored() {
    let broken = folder("broken").into_iter().find(|(name, _)| name.starts_with("start-up-half")).expect("it is there");
    let sheet = read(&broken.0, &broken.1).sheet.expect("the rest still works");
    assert!(sheet.start_up.is_empty() && sheet.controls.len() == 1);
}

#[test]
fn writes_to_a_device_follow_the_sheet() {
    use mantle_core::outgoing::{Act, ExpectedReply};
    use mantle_core::time::Micros;
    use mantle_hid::ReportKind;
    let (name, text) =
        folder("good").into_iter().find(|(name, _)| name.starts_with("everything")).expect("it is there");
    let sheet = read(&name, &text).sheet.expect("good");
    let answer = ExpectedReply { pattern: vec![Some(9), None, Some(1)], within: Micros::seconds(1) };
    assert_eq!(sheet.start_up[0].act, Act::Get { report: 9, length: 4 });
    assert_eq!(sheet.start_up[0].answer, Some(answer));
    assert_eq!(sheet.start_up[1].act, Act::Send(ReportKind::Feature, vec![4, 1, 0, 0]));
    assert_eq!(sheet.start_up[1].wait, Micros::millis(100));
    assert_eq!((sheet.keep_alive[0].every, sheet.silences[0].after), (Micros::seconds(2), Micros::millis(250)));
    let rumble = sheet.rumble.expect("it rumbles").encode(&[1.0, 0.5], &sheet.checks);
    let Act::Send(ReportKind::Output, bytes) = rumble else { panic!("{rumble:?}") };
    assert_eq!(bytes[..7], [5, 1, 0, 255, 100, 0, 0]);
    // CRC-8 with polynomial 0x07 over the first seven bytes.
    let crc = bytes[..7]
        .iter()
        .fold(0u8, |crc, byte| (0..8).fold(crc ^ byte, |crc, _| if crc & 0x80 != 0 { crc << 1 ^ 7 } else { crc << 1 }));
    assert_eq!(bytes[7], crc);
    assert_eq!(sheet.lamps.expect("lamps").encode(3, &[]), Act::Send(ReportKind::Output, vec![5, 4, 0, 4, 0, 0, 0, 0]));
    assert_eq!(sheet.motions[0].rotation[1], [-1.0, 0.0, 0.0]);
    assert_eq!((sheet.contacts[0].touches.as_str(), &sheet.contacts[0].at[1]), ("touch", &"touch Y".to_owned()));
}

#[test]
fn a_sheet_is_parsed_key_by_key() {
    let text = "version = 1\nname = \"Pad\"\nkeep = true\n[match]\nbus = \"bluetooth\"\nvendor = 0x1209\n\
                product = [1, 2]\nname = \"Pad*\"\n[[checksum]]\nreport = 3\nkind = \"crc-16\"\nat = 9\nfrom = 1\norder = \"big\"\n\
                [[control]]\nname = \"x\"\nkind = \"axis\"\nreport = 3\nat = 12\nsize = 12\npacking = \"big\"\nsigned = true\n\
                min = -100\nmax = 100\nrest = 7\nplays = \"right stick Y\"\n\
                [[control]]\nname = \"fire\"\nkind = \"button\"\nusage = \"button 3\"\nplays = \"East\"\n";
    let read = read("pad", text);
    assert_eq!(read.faults, []);
    let sheet = read.sheet.expect("a sheet");
    assert!(sheet.keep);
    let identity =
        |product| Identity { bus: Bus(5), vendor: 0x1209, product, name: "Pad 7".into(), ..Identity::default() };
    assert!(sheet.rule.fits(&identity(2)) && !sheet.rule.fits(&identity(3)));
    assert_eq!((sheet.checks[0].report, sheet.checks[0].at, sheet.checks[0].from), (3, 9, 1));
    let x = &sheet.controls[0];
    assert_eq!(x.source, Where::Bits { report: 3, at: 12, size: 12, packing: Packing::Big, signed: true });
    assert_eq!((x.range, x.rest, x.plays), (Some((-100, 100)), Some(7), Some(Plays::Stick(3))));
    assert_eq!(sheet.controls[1].plays, Some(Plays::Target(PadTarget::East)));
}

#[test]
fn a_directory_yields_sheets_in_order_and_faults() {
    let directory = tempfile::tempdir().expect("a directory");
    let put = |name: &str, text: &str| std::fs::write(directory.path().join(name), text).expect("written");
    put("b.sheet.toml", "version = 1\nname = \"b\"\n[match]\nvendor = 1\n");
    put("a.sheet.toml", "version = 1\nname = \"a\"\n[match]\nvendor = 1\n");
    put("c.sheet.toml", "version = 9\n");
    put("notes.txt", "version = 9\n");
    let (sheets, faults) = read_directory(directory.path());
    assert_eq!(sheets.iter().map(|sheet| sheet.name.as_str()).collect::<Vec<_>>(), ["a", "b"]);
    assert_eq!(faults.len(), 1);
    assert_eq!(read_directory(&directory.path().join("away")), (Vec::new(), Vec::new()));
}

proptest! {
    #[test]
    fn any_text_is_read_as_a_sheet_without_panic(text in "(version = 1\n)?[a-z\\[\\]=\" \n0-9.{},#-]{0,200}") {
        let read = read("x", &text);
        prop_assert!(read.sheet.is_some() || !read.faults.is_empty());
    }

    #[test]
    fn a_damaged_sheet_is_read_without_panic(at in any::<prop::sample::Index>(), with in "[a-z\\[\\]=\"\n0-9-]{0,4}") {
        let (name, text) = &folder("good")[0];
        let at = at.index(text.len());
        if text.is_char_boundary(at) {
            let damaged = format!("{}{with}{}", &text[..at], &text[(at + 1).min(text.len())..]);
            let _ = read(name, &damaged);
        }
    }
}
