//! A general library reads the same values from the same bytes, unless it fails. It trusts report lengths and panics on some descriptors, and one
//! line may cost it gigabytes, so it runs in a child of its own with limited memory, which answers with a line for each case. A case on which it
//! panics or dies is not compared; such cases are counted.

#![allow(clippy::disallowed_methods, reason = "this test starts a child; the crate itself starts nothing")]
#![allow(clippy::disallowed_macros, reason = "a test without a harness says itself how it went")]

mod generator;

use hidreport::{Field, Report, ReportDescriptor};
use mantle_hid::{Descriptor, FieldKind, ReportKind};
use proptest::strategy::{Strategy, ValueTree};
use proptest::test_runner::TestRunner;
use std::io::{BufRead, BufReader, Write};
use std::process::{Child, Command, ExitCode, Stdio};

const NAME: &str = "a_general_library_reads_the_same";
const CASES: usize = 600;
/// Kilobytes of address space that the child may have.
const MEMORY: u32 = 2_000_000;

/// A descriptor, and reports of it.
type Case = (Vec<u8>, Vec<Vec<u8>>);

fn main() -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let is = |argument: &str| arguments.iter().any(|other| other == argument);
    if is("--child") {
        child();
        return ExitCode::SUCCESS;
    }
    if is("--list") {
        println!("{NAME}: test");
        return ExitCode::SUCCESS;
    }
    let filters: Vec<&String> = arguments.iter().filter(|argument| !argument.starts_with('-')).collect();
    if !filters.is_empty() && !filters.iter().any(|filter| NAME.contains(filter.as_str())) {
        println!("\ntest result: ok. 0 passed; 0 failed; 0 ignored; 0 measured; 1 filtered out");
        return ExitCode::SUCCESS;
    }
    println!("\nrunning 1 test");
    match compare() {
        Ok((compared, values)) => {
            println!("test {NAME} ... ok ({values} values in {compared} of {CASES} cases)");
            println!("\ntest result: ok. 1 passed; 0 failed; 0 ignored; 0 measured; 0 filtered out");
            ExitCode::SUCCESS
        }
        Err(why) => {
            println!("test {NAME} ... FAILED\n\n{why}");
            println!("\ntest result: FAILED. 0 passed; 1 failed; 0 ignored; 0 measured; 0 filtered out");
            ExitCode::FAILURE
        }
    }
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

fn bytes(hex: &str) -> Vec<u8> {
    let digits: Vec<char> = hex.chars().collect();
    let byte = |two: &[char]| u8::from_str_radix(&two.iter().collect::<String>(), 16).expect("hex");
    digits.chunks(2).map(byte).collect()
}

/// The library's side: a line in, `descriptor report report ...`; a line out, for each report the values as `offset:value,...`, or `-` if it panicked
/// or knows no such report.
fn child() {
    std::panic::set_hook(Box::new(|_| {}));
    for line in std::io::stdin().lines().map_while(Result::ok) {
        let mut words = line.split(' ').map(bytes);
        let descriptor = words.next().unwrap_or_default();
        let answers: Vec<String> = words.map(|report| read(&descriptor, &report)).collect();
        println!("{}", answers.join(" "));
    }
}

fn read(descriptor: &[u8], report: &[u8]) -> String {
    let values = std::panic::catch_unwind(|| {
        let peer = ReportDescriptor::try_from(descriptor).ok()?;
        let found = peer.find_input_report(report)?;
        let mut out = Vec::new();
        for field in found.fields() {
            let Field::Variable(field) = field else { continue };
            let Ok(value) = field.extract(report) else { continue };
            let value = if field.is_signed() { i64::from(i32::from(&value)) } else { i64::from(u32::from(&value)) };
            out.push(format!("{}:{value}", field.bits.start));
        }
        Some(out.join(","))
    });
    values.ok().flatten().unwrap_or_else(|| "-".into())
}

fn start() -> Result<Child, String> {
    let me = std::env::current_exe().map_err(|error| error.to_string())?;
    Command::new("sh")
        .args(["-c", &format!("ulimit -v {MEMORY}; exec \"$0\" --child")])
        .arg(me)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .map_err(|error| format!("sh: {error}"))
}

/// Asks the child, which is restarted after a case that killed it, whose answer is none.
fn ask(cases: &[Case]) -> Result<Vec<Option<String>>, String> {
    let mut answers = Vec::new();
    while answers.len() < cases.len() {
        let mut child = start()?;
        let (mut to, from) = (child.stdin.take().ok_or("no input")?, child.stdout.take().ok_or("no output")?);
        let mut from = BufReader::new(from).lines();
        while let Some((descriptor, reports)) = cases.get(answers.len()) {
            let words: Vec<String> = std::iter::once(descriptor).chain(reports).map(|bytes| hex(bytes)).collect();
            let said = writeln!(to, "{}", words.join(" ")).is_ok();
            match from.next().filter(|_| said) {
                Some(Ok(line)) => answers.push(Some(line)),
                _ => {
                    answers.push(None);
                    break;
                }
            }
        }
        drop(to);
        let _ = child.wait();
    }
    Ok(answers)
}

fn compare() -> Result<(usize, usize), String> {
    let mut runner = TestRunner::deterministic();
    let mut cases: Vec<Case> = Vec::new();
    while cases.len() < CASES {
        let descriptor = generator::descriptor().new_tree(&mut runner).map_err(|why| why.to_string())?.current();
        let read = Descriptor::parse(&descriptor).map_err(|why| why.to_string())?;
        let reports = generator::reports(&read, cases.len() as u64 + 1);
        cases.push((descriptor, reports.into_iter().filter(|report| !report.is_empty()).collect()));
    }
    let answers = ask(&cases)?;
    let (mut compared, mut values) = (0, 0);
    for ((bytes, reports), answer) in cases.iter().zip(answers) {
        let Some(answer) = answer else { continue };
        let descriptor = Descriptor::parse(bytes).map_err(|why| why.to_string())?;
        let before = values;
        for (report, theirs) in reports.iter().zip(answer.split(' ')) {
            let (ours, body) = descriptor.find(ReportKind::Input, report).map_err(|why| why.to_string())?;
            let skip = u32::from(descriptor.numbered(ReportKind::Input)) * 8;
            for (offset, value) in theirs.split(',').filter_map(|pair| pair.split_once(':')) {
                let offset = offset.parse::<u32>().ok().and_then(|offset| offset.checked_sub(skip));
                let (Some(offset), Ok(value)) = (offset, value.parse::<i64>()) else { continue };
                let mine = ours.fields.iter().find_map(|field| {
                    let index = offset.checked_sub(field.bit_offset)? / field.bit_size;
                    let same = index < field.count && field.element_offset(index) == offset;
                    (field.kind == FieldKind::Variable && same).then(|| field.value(body, index)).flatten()
                });
                let Some(mine) = mine else { continue };
                if mine != value {
                    let (descriptor, report) = (hex(bytes), hex(report));
                    return Err(format!("{descriptor}\n{report}: at bit {offset} we read {mine}, the library {value}"));
                }
                values += 1;
            }
        }
        compared += usize::from(values > before);
    }
    // Otherwise the comparison would prove less than it claims.
    if compared * 2 < CASES || values < 2000 {
        return Err(format!("only {values} values in {compared} of {CASES} cases could be compared"));
    }
    Ok((compared, values))
}
