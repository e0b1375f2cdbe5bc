use super::*;
use proptest::prelude::*;

const HID: &str = include_str!("../../tests/recordings/sample-pad.hid");
const EVEMU: &str = include_str!("../../tests/recordings/sample-pad.evemu");
const LIBINPUT: &str = include_str!("../../tests/recordings/sample-pad.libinput.yml");

fn good(text: &str) -> Recording {
    let recording = read(text.as_bytes()).expect("it is a recording");
    assert_eq!(recording.problems, []);
    recording
}

fn times(recording: &Recording) -> Vec<u64> {
    recording.events.iter().map(|event| event.time.0).collect()
}

/// Every problem as `line: message`.
fn problems(text: &str) -> Vec<String> {
    let recording = read(text.as_bytes()).expect("it is a recording");
    recording.problems.iter().map(|problem| format!("{}: {}", problem.line, problem.message)).collect()
}

#[test]
fn hid_tools_text_is_read() {
    let recording = good(HID);
    let [device] = recording.devices.as_slice() else { panic!("one device") };
    assert_eq!((device.name.as_str(), device.bus, device.vendor, device.product), ("Sample Pad", 3, 0x1209, 1));
    assert_eq!(device.descriptor.len(), 67);
    assert_eq!(times(&recording), [0, 4012, 8007, 1_250_100]);
    assert_eq!(recording.events[1].content, Content::Report(vec![1, 0x80, 0x80, 0x80, 0x80, 0x80]));
    assert_eq!(recording.events[1].line, 6);
}

#[test]
fn evemu_text_is_read_with_capabilities() {
    let recording = good(EVEMU);
    let device = &recording.devices[0];
    assert_eq!((device.vendor, device.version), (0x1209, 0x0110));
    let caps = device.evdev.as_ref().expect("capabilities");
    assert_eq!(caps.codes, [(1, 0x130), (3, 0), (3, 1)]);
    assert_eq!((caps.axes[1].code, caps.axes[1].max, caps.axes[1].flat), (1, 255, 15));
    // The first event is moment zero, whatever its stamp.
    assert_eq!(times(&recording), [0, 4012]);
    let south = EvdevEvent { kind: 1, code: 0x130, value: 1 };
    assert_eq!(recording.events[1].content, Content::Evdev(vec![south]));
}

#[test]
fn libinput_recordings_are_read_with_reports_and_events() {
    let recording = good(LIBINPUT);
    let device = &recording.devices[0];
    assert_eq!((device.name.as_str(), device.product, device.descriptor.len()), ("Sample Pad", 1, 67));
    assert_eq!(device.evdev.as_ref().expect("capabilities").codes, [(1, 304), (3, 0), (3, 1)]);
    assert_eq!(times(&recording), [0, 31]);
    assert_eq!(recording.events[0].content, Content::Report(vec![1, 0x80, 0x80, 0x80, 0x80, 0x80]));
}

/// A killed recording is truncated somewhere; its contents count.
#[test]
fn a_truncated_file_yields_its_complete_part() {
    let cut = LIBINPUT.rfind("1, 304").expect("it is there");
    let recording = read(&LIBINPUT.as_bytes()[..cut]).expect("a recording");
    assert_eq!(recording.problems, []);
    assert_eq!(recording.warnings.len(), 1, "{:?}", recording.warnings);
    assert_eq!(times(&recording)[..1], [0]);
    let cut = EVEMU.rfind("E: 0.004013 0000").expect("it is there");
    assert_eq!(times(&good(&EVEMU[..cut])), [0, 4012]);
    assert_eq!(good(HID.trim_end()).events.len(), 4);
}

#[test]
fn comments_of_ours_or_others_and_cr_lf_change_nothing() {
    let plain = good(HID);
    let without: String = HID.lines().filter(|line| !line.starts_with('#')).map(|line| format!("{line}\n")).collect();
    assert_eq!(good(&without).events.len(), plain.events.len());
    let windows = HID.replace('\n', "\r\n");
    let events = |recording: &Recording| recording.events.iter().map(|e| e.content.clone()).collect::<Vec<_>>();
    assert_eq!(events(&good(&windows)), events(&plain));
    let spaced = HID.replace("6 01 20 FF", "6   01  20  ff").replace("80 80\n", "80   80 \n");
    assert_eq!(events(&good(&spaced)), events(&plain));
}

#[test]
fn several_devices_share_one_clock() {
    let text = "D: 4\nR: 1 c1\nN: one\nI: 3 1 2\nD: 9\nR: 1 c2\nN: two\nI: 5 3 4\nE: 000000.000000 1 07\nD: 4\nE: 000000.000500 2 01 02\n";
    let recording = good(text);
    let names: Vec<&str> = recording.devices.iter().map(|device| device.name.as_str()).collect();
    assert_eq!(names, ["one", "two"]);
    assert_eq!(recording.events.iter().map(|event| event.device).collect::<Vec<_>>(), [1, 0]);
}

/// Broken lines, and the exact words that the person gets.
#[test]
fn errors_name_their_line() {
    let good = "R: 1 c0\n";
    let cases = [
        ("R: 3 05 01\n", "1: it says 3 bytes, but 2 follow"),
        ("R: x 05\n", "1: \"x\" is not a number of bytes"),
        ("R: 1 0x\n", "1: \"0x\" is not a byte in hex"),
        ("R: 1 100\n", "1: \"100\" is not a byte in hex"),
        ("R: 4097 00\n", "1: 4097 bytes; there are at most 4096"),
        ("N: x\nI: 3 1209\nR: 1 c0\n", "2: 2 numbers; bus, vendor and product are three"),
        ("I: 3 12345 1\nR: 1 c0\n", "1: \"12345\" is not a number in hex of up to four digits"),
        ("E: 000000.000000 1 00\nR: 1 c0\n", "1: a report before the descriptor (R:) of its device"),
        ("D: x\nR: 1 c0\n", "1: \"x\" is not the number of a device"),
        ("D: 0\nN: no descriptor\n", "1: device 0 has no R: line, so its reports cannot be read"),
    ];
    for (text, words) in cases {
        let all = problems(text);
        assert!(all.iter().any(|problem| problem == words), "{text:?}: {all:?}");
    }
    let events = [
        ("E: 0.5 1 00", "2: \"0.5\" is not a time; a time is SECONDS.MICROSECONDS, with six digits after the point"),
        ("E: 0 1 00", "2: \"0\" is not a time; a time is SECONDS.MICROSECONDS, with six digits after the point"),
        (
            "E: -1.000000 1 00",
            "2: \"-1.000000\" is not a time; a time is SECONDS.MICROSECONDS, with six digits after the point",
        ),
        ("E: 99999999999.000000 1 00", "2: 99999999999 seconds are longer than any recording"),
        ("E: 000000.000000", "2: a time, a count and bytes are expected"),
        ("E: 000000.000000 2 00", "2: it says 2 bytes, but 1 follow"),
        ("E: 000000.000000 16385 00", "2: 16385 bytes; there are at most 16384"),
        ("E: 000000.000000 1 0g", "2: \"0g\" is not a byte in hex"),
    ];
    for (line, words) in events {
        // The report after it is still read.
        let recording = read(format!("{good}{line}\nE: 000009.000000 1 07\n").as_bytes()).expect("a recording");
        let all: Vec<String> = recording.problems.iter().map(|p| format!("{}: {}", p.line, p.message)).collect();
        assert_eq!(all, [words], "{line:?}");
        assert_eq!(times(&recording), [9_000_000], "{line:?}");
    }
}

#[test]
fn oddities_are_warnings_and_not_errors() {
    let recording = good("R: 1 c0\nE: 000002.000000 1 00\nE: 000001.000000 1 01\n");
    assert_eq!(recording.warnings.len(), 1);
    assert_eq!((recording.warnings[0].line, recording.warnings[0].offset), (3, 30));
    assert_eq!(recording.in_time().iter().map(|event| event.time.0).collect::<Vec<_>>(), [1_000_000, 2_000_000]);
}

#[test]
fn a_document_cannot_exhaust_the_reader() {
    // Aliases that would unfold to gigabytes, and nesting that would exhaust the stack.
    let bomb = "# libinput record\nversion: 1\na: &a [1,1,1,1,1,1,1,1,1]\nb: &b [*a,*a,*a,*a]\ndevices: []\n";
    assert_eq!(problems(bomb), ["4: anchors and aliases are not read"]);
    let deep = format!("# libinput record\nversion: 1\ndevices: {}\nx: 1\n", "[".repeat(5000));
    assert!(problems(&deep)[0].starts_with("3: "), "{:?}", problems(&deep));
    let deep = format!("# libinput record\nversion: 1\ndevices: {}{}\nx: 1\n", "[".repeat(20), "]".repeat(20));
    assert_eq!(problems(&deep), ["3: deeper than 16 levels"]);
    let long = format!("R: 1 c0\nE: 000000.000000 1 {}\n", "0".repeat(LINE_BYTES));
    assert!(problems(&long)[0].contains("a line of "), "{:?}", problems(&long));
    let many: String = (0..100).map(|n| format!("D: {n}\nR: 1 c0\n")).collect();
    assert!(problems(&many)[0].contains("more than 64 devices"));
    assert!(read(b"hello").is_err() && read(b"").is_err());
    let zeros = b"R: 1 c0\n\0\0\0\nE: 000000.000000 1 00\n";
    assert_eq!(read(zeros).expect("a recording").events.len(), 1);
    let latin = b"R: 1 c0\nN: caf\xe9\nE: 000000.000000 1 00\n";
    let recording = read(latin).expect("a recording");
    assert_eq!((recording.problems[0].line, recording.events.len()), (2, 1));
}

#[test]
fn serials_and_addresses_are_left_out_unless_asked_for() {
    let mut header = Header { name: "Pad\nE: 000000.000000 1 00".into(), ..Header::default() };
    header.descriptor = vec![0xc0];
    let plain = Writer::new(Vec::new(), &header, 1 << 20).expect("written").finish().expect("written");
    let text = String::from_utf8(plain).expect("text");
    assert!(!text.contains("P:") && !text.contains("serial"), "{text}");
    assert!(!text.contains("\nE:"), "a name cannot become a report: {text}");
    header.phys = Some("00:11:22:33:44:55".into());
    header.serial = Some("S-1".into());
    let all = Writer::new(Vec::new(), &header, 1 << 20).expect("written").finish().expect("written");
    let text = String::from_utf8(all).expect("text");
    assert!(text.contains("P: 00:11:22:33:44:55\n") && text.contains("# mantle: serial=S-1\n"), "{text}");
}

#[test]
fn a_recording_stops_at_its_size_limit_and_says_so() {
    let header = Header { descriptor: vec![0xc0], ..Header::default() };
    let mut writer = Writer::new(Vec::new(), &header, 200).expect("written");
    let mut room = 0;
    while writer.report(Micros(room * 1000), &[1, 2, 3]).expect("written") {
        room += 1;
    }
    assert!(room > 1 && writer.written() <= 200);
    writer.remark("ended", "size").expect("written");
    let text = writer.finish().expect("written");
    assert_eq!(read(&text).expect("a recording").events.len() as u64, room);
}

fn header() -> impl Strategy<Value = Header> {
    (any::<(u16, u16, u16)>(), "[ -~]{0,30}", prop::collection::vec(any::<u8>(), 1..200)).prop_map(
        |((bus, vendor, product), name, descriptor)| Header {
            name: name.trim().into(),
            bus,
            vendor,
            product,
            descriptor,
            ..Header::default()
        },
    )
}

proptest! {
    #[test]
    fn written_files_read_back_the_same(
        header in header(),
        start in 0u64..1 << 40,
        reports in prop::collection::vec((0u64..5_000_000, prop::collection::vec(any::<u8>(), 1..80)), 0..40),
    ) {
        let mut writer = Writer::new(Vec::new(), &header, 1 << 30).expect("written");
        let mut now = start;
        let mut meant = Vec::new();
        for (gap, bytes) in &reports {
            now += gap;
            prop_assert!(writer.report(Micros(now), bytes).expect("written"));
            meant.push((now, bytes.clone()));
        }
        let text = writer.finish().expect("written");
        let recording = read(&text).expect("a recording");
        prop_assert!(recording.problems.is_empty() && recording.warnings.is_empty());
        let device = &recording.devices[0];
        prop_assert_eq!((device.bus, device.vendor, device.product), (header.bus, header.vendor, header.product));
        prop_assert_eq!(&device.descriptor, &header.descriptor);
        prop_assert_eq!(&device.name, &header.name);
        let first = meant.first().map_or(0, |(at, _)| *at);
        let meant: Vec<_> = meant.into_iter().map(|(at, bytes)| (at - first, Content::Report(bytes))).collect();
        let got: Vec<_> = recording.events.into_iter().map(|event| (event.time.0, event.content)).collect();
        prop_assert_eq!(got, meant);
    }

    #[test]
    fn any_bytes_are_read_without_panic(bytes in prop::collection::vec(any::<u8>(), 0..400), which in 0usize..4) {
        let head: &[u8] = [&b""[..], b"# EVEMU 1.3\n", b"# libinput record\nversion: 1\ndevices:\n", b"R: 1 c0\n"][which];
        let _ = read(&[head, &bytes].concat());
    }

    #[test]
    fn a_damaged_file_is_read_without_panic(
        which in 0usize..3, at in any::<prop::sample::Index>(), with in prop::collection::vec(any::<u8>(), 0..6),
    ) {
        let mut bytes = [HID, EVEMU, LIBINPUT][which].as_bytes().to_vec();
        let at = at.index(bytes.len());
        let end = (at + with.len()).min(bytes.len());
        bytes.splice(at..end, with);
        if let Ok(recording) = read(&bytes) {
            prop_assert!(recording.events.len() <= 8);
        }
    }
}
