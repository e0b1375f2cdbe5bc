//! Exports: from a slot's snapshot into new files.

use mantle_core::binding::{Named, Part};
use mantle_core::measure::took;
use mantle_draw::{
    AxisRange, Card, CardFace, CardLayer, CardRow, CardSource, CardSpot, Curves, Delay, DeviceReport, Page, Ranges,
    ResultLine, Results, Travel,
};
use mantle_talk::{BindingRow, ControlKind, DeviceDetail, Face, Paper, SlotDetail, Target, TrialView};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

/// How many file names are tried.
const NAMES: u32 = 1000;

/// What is exported of a slot.
#[derive(Clone, Debug)]
pub struct Subject {
    /// Its profile.
    pub profile: String,
    /// The slot's detail.
    pub detail: SlotDetail,
}

impl Subject {
    fn device(&self) -> String {
        self.detail.devices.iter().map(|device| device.name.as_str()).collect::<Vec<_>>().join(" and ")
    }

    /// The layout card.
    pub fn card(&self) -> Card {
        let several = self.detail.devices.len() > 1;
        let model = self.detail.kind.model();
        // For a pad held in both hands, in the order of the fingers.
        let mut rows: Vec<&BindingRow> = self.detail.bindings.iter().collect();
        let place = |target: Target| model.hands.iter().position(|(own, _)| target == *own).unwrap_or(usize::MAX);
        rows.sort_by_key(|row| place(row.target));
        let faces = self.faces();
        let rows = rows.into_iter().map(|row| {
            let sources = row.said.iter().zip(&row.how).map(|((control, layer, _), (how, device))| CardSource {
                control: if several { format!("{device}: {control}") } else { control.clone() },
                layer: layer.clone(),
                how: how.clone(),
                spot: self.spot(&faces, device, control),
            });
            CardRow {
                target: row.name.clone(),
                hand: row.target.pad().and_then(|target| model.hand_of(target)),
                prompt: row.prompt.clone(),
                action: row.action.clone(),
                sources: sources.collect(),
            }
        });
        let layers = self.detail.layers.iter();
        Card {
            profile: self.profile.clone(),
            device: self.device(),
            notes: self.detail.notes.clone(),
            layers: layers
                .map(|(name, hold, toggle)| CardLayer { name: name.clone(), hold: hold.clone(), toggle: *toggle })
                .collect(),
            rows: rows.collect(),
            faces: faces
                .iter()
                .map(|(device, face)| CardFace {
                    device: if several { device.clone() } else { String::new() },
                    rows: face.rows.clone(),
                })
                .collect(),
        }
    }

    /// Where the controls of its devices sit: what the profile says counts for the first device that has all of them, and
    /// for the others their sheets.
    fn faces(&self) -> Vec<(String, &Face)> {
        let devices = &self.detail.devices;
        let whose = devices.iter().position(|device| self.detail.face.is_of(&device.seen_controls()));
        let faces = devices.iter().enumerate().map(|(at, device)| {
            let is_own = Some(at) == whose && !self.detail.face.is_empty();
            (device.name.clone(), if is_own { &self.detail.face } else { &device.face })
        });
        faces.filter(|(_, face)| !face.is_empty()).collect()
    }

    /// Where a source sits, and which part of what sits there it is, in one word.
    fn spot(&self, faces: &[(String, &Face)], device: &str, source: &str) -> Option<CardSpot> {
        let (at, (_, face)) = faces.iter().enumerate().find(|(_, (name, _))| name == device)?;
        let place = face.place_of(source)?;
        let parts: Vec<&str> = Face::parts(&face.rows[place.0][place.1]).collect();
        let named = Named::parse(source);
        let is = |one: &&str| one.eq_ignore_ascii_case(&named.control);
        let controls = self.detail.devices.iter().filter(|own| own.name == device).flat_map(|own| &own.controls);
        let is_axis = |name: &str| {
            controls.clone().any(|one| one.kind == ControlKind::Axis.word() && one.name.eq_ignore_ascii_case(name))
        };
        // Of two axes in one place the first goes across, the second along.
        let axis = parts.iter().filter(|name| is_axis(name)).position(&is);
        let across = axis.filter(|_| parts.len() > 1).map(|at| at == 0);
        let part = match (named.part, across) {
            // It has its own place.
            _ if parts.iter().any(|own| own.eq_ignore_ascii_case(source)) && parts.len() == 1 => "",
            (Some(Part::LowerHalf), Some(true)) => "left",
            (Some(Part::UpperHalf), Some(true)) => "right",
            (Some(Part::LowerHalf), Some(false)) => "up",
            (Some(Part::UpperHalf), Some(false)) => "down",
            (Some(part), _) if parts.iter().any(&is) => part.word(),
            _ if parts.len() > 1 => source,
            _ => "",
        };
        Some(CardSpot { face: at, place, part: part.to_owned() })
    }

    /// The results of trying its pad.
    pub fn results(&self) -> Results {
        let bound: Vec<_> = self.detail.bindings.iter().filter(|row| is_tried(row)).collect();
        let seen = bound.iter().filter(|row| row.seen).count();
        let trial = self.detail.trial.as_ref();
        let stuck: Vec<&str> = trial.iter().flat_map(|trial| &trial.stuck).map(String::as_str).collect();
        let mut lines: Vec<ResultLine> = Vec::new();
        let mut say =
            |what: String, passed: Option<bool>, found: String| lines.push(ResultLine { what, passed, found });
        for row in &bound {
            let found = if row.seen { "seen from rest to full and back" } else { "not seen to full and back" };
            say(row.name.clone(), Some(row.seen), found.into());
        }
        let found = if stuck.is_empty() { "nothing".into() } else { stuck.join(", ") };
        say("stuck".into(), Some(stuck.is_empty()), found);
        if let Some(trial) = trial {
            measured(trial, &mut say);
        }
        let all_seen = seen == bound.len() && !bound.is_empty();
        let passed = all_seen && stuck.is_empty();
        let verdict = match (all_seen, stuck.is_empty()) {
            (true, true) => format!("✓ passed: all {seen} seen from rest to full and back, nothing stuck"),
            (true, false) => format!("✗ {} stuck", stuck.join(", ")),
            (false, _) => format!("✗ not yet: {seen} of {} seen from rest to full and back", bound.len()),
        };
        Results {
            device: self.device(),
            slot: format!("{}, profile {}", self.detail.number, self.profile),
            passed,
            verdict,
            lines,
            outlines: trial
                .iter()
                .flat_map(|one| &one.sticks)
                .map(|stick| (stick.name.clone(), stick.outline.clone()))
                .collect(),
            travels: trial
                .iter()
                .flat_map(|one| one.singles())
                .map(|axis| Travel { name: axis.name.clone(), ends: axis.ends, seen: axis.travel })
                .collect(),
        }
    }

    /// The results as JSON.
    pub fn results_json(&self) -> Value {
        let results = self.results();
        let line = |line: &ResultLine| json!({ "what": line.what, "passed": line.passed, "found": line.found });
        let mut out = json!({
            "version": 1,
            "device": results.device,
            "slot": self.detail.number.number(),
            "profile": self.profile,
            "passed": results.passed,
            "verdict": results.verdict,
            "lines": results.lines.iter().map(line).collect::<Vec<_>>(),
        });
        if let Some(trial) = &self.detail.trial {
            let by_name = |what: Vec<(&str, Value)>| -> Value {
                what.into_iter().map(|(name, value)| (name.to_owned(), value)).collect::<serde_json::Map<_, _>>().into()
            };
            let round = |(least, most, off): (f32, f32, f32)| json!({ "least": least, "most": most, "off": off });
            let drifts = trial.axes.iter();
            let drifts = drifts.map(|axis| {
                let (drift, seconds) = axis.drift;
                json!({ "what": axis.name, "share": drift, "seconds": seconds })
            });
            let sticks = || trial.sticks.iter();
            out["seconds"] = trial.seconds.into();
            out["roundness"] =
                by_name(sticks().map(|one| (one.name.as_str(), one.roundness.map(round).into())).collect());
            out["travel"] = by_name(trial.singles().map(|one| (one.name.as_str(), json!(one.travel))).collect());
            out["drift"] = drifts.collect();
            out["outlines"] = by_name(sticks().map(|one| (one.name.as_str(), json!(one.outline))).collect());
        }
        out
    }

    /// The results as text.
    pub fn results_text(&self) -> String {
        let results = self.results();
        let mut out = format!("{}\n{}\n{}\n\n", results.device, results.slot, results.verdict);
        for line in &results.lines {
            let sign = match line.passed {
                Some(true) => "✓",
                Some(false) => "✗",
                None => " ",
            };
            out.push_str(&format!("{sign} {:24} {}\n", line.what, line.found));
        }
        out
    }

    /// The delays between its devices and its pad.
    pub fn delay(&self) -> Delay {
        let number = self.detail.number;
        let mut measures = vec![("from report to pad".to_owned(), self.detail.delay.clone(), Vec::new())];
        for device in &self.detail.devices {
            let Some(arriving) = &device.arriving else { continue };
            let mut more = arriving.causes.clone();
            if let (Some(rate), (lost, all)) = (arriving.steady, arriving.lost) {
                let words = format!(
                    "It sends {rate:.0} reports per second; of {all} within the last minute, about {lost} were lost."
                );
                more.insert(0, words);
            }
            measures.push((format!("between reports of {}", device.name), arriving.spread.clone(), more));
        }
        Delay { title: format!("{number}, profile {}: timing", self.profile), measures }
    }

    /// How far the axes of its devices go.
    pub fn ranges(&self) -> Ranges {
        let several = self.detail.devices.len() > 1;
        let axes = self.detail.devices.iter().flat_map(|device| {
            let of = move |axis: AxisRange| {
                let name = if several { format!("{}: {}", device.name, axis.name) } else { axis.name.clone() };
                AxisRange { name, ..axis }
            };
            axes_of(device).into_iter().map(of)
        });
        Ranges { title: format!("{}: how far its axes go", self.device()), axes: axes.collect() }
    }

    /// The report of its first device; none if it has none.
    pub fn report(&self) -> Option<DeviceReport> {
        let device = self.detail.devices.first()?;
        let (vendor, product, version) = device.ids;
        let mut facts = vec![
            ("plugged in".into(), device.place.clone()),
            ("ids".into(), format!("{vendor:04x}:{product:04x}, version {version:04x}")),
            ("it says".into(), device.what.clone()),
            ("driver".into(), device.driver.clone()),
        ];
        facts.extend(device.sheet.iter().map(|sheet| ("read by".to_owned(), format!("sheet {sheet}"))));
        facts.push(("controls".into(), device.count_of_controls()));
        facts.extend(device.sensed.iter().cloned());
        facts.push(("to games".into(), device.cover.clone()));
        let axes = axes_of(device);
        let mut health = health_of(device, &axes);
        let delay = &self.detail.delay;
        if delay.count > 0 {
            let words = format!("from report to pad: half within {}, longest {}", took(delay.p50), took(delay.most));
            health.insert(1, (None, words));
        }
        let plays = |control: &&mantle_talk::ControlRow| control.kind != "state";
        Some(DeviceReport {
            name: device.name.clone(),
            facts,
            health,
            axes,
            plays_as: format!("{} as a {}, profile {}", self.detail.number, self.detail.kind.name(), self.profile),
            plays: device.controls.iter().filter(plays).map(|one| (one.name.clone(), one.plays.clone())).collect(),
        })
    }

    fn pages(&self, what: Paper) -> Vec<Page> {
        match what {
            Paper::Card => self.card().pages(),
            Paper::Curves => {
                let (profile, model) = (self.profile.clone(), self.detail.kind.model());
                Curves { profile, feel: self.detail.feel.feel, model }.pages()
            }
            Paper::Results => self.results().pages(),
            Paper::Delay => self.delay().pages(),
            Paper::Ranges => self.ranges().pages(),
            Paper::Report => self.report().iter().flat_map(DeviceReport::pages).collect(),
        }
    }

    /// Writes it as SVG, one file per page, and as PDF; results also as text and JSON. Returns the files.
    ///
    /// # Errors
    /// In words: which file could not be written, and why.
    pub fn write(&self, what: Paper, directory: &Path) -> Result<Vec<PathBuf>, String> {
        let said = |path: &Path, error: std::io::Error| format!("{}: {error}", path.display());
        std::fs::create_dir_all(directory).map_err(|error| said(directory, error))?;
        let word = match what {
            Paper::Card => "card",
            Paper::Curves => "curves",
            Paper::Results => "results",
            Paper::Delay => "delay",
            Paper::Ranges => "ranges",
            Paper::Report => "report",
        };
        let stem = mantle_core::file_stem(&format!("{} {}", self.profile, self.device()), "slot");
        let named = |number: u32| if number == 1 { stem.clone() } else { format!("{stem}-{number}") };
        let taken =
            |name: &String| ["pdf", "svg"].iter().any(|end| directory.join(format!("{name}.{word}.{end}")).exists());
        let name = (1..NAMES).map(named).find(|name| !taken(name));
        let name = name.ok_or_else(|| format!("{}: there are too many files with that name", directory.display()))?;
        let pages = self.pages(what);
        let mut files: Vec<(String, Vec<u8>)> = Vec::new();
        files.push((format!("{name}.{word}.pdf"), mantle_draw::pdf(&format!("{}: {word}", self.profile), &pages)));
        for (at, page) in pages.iter().enumerate() {
            let number = if at == 0 { String::new() } else { format!("-page-{}", at + 1) };
            files.push((format!("{name}{number}.{word}.svg"), mantle_draw::svg(page).into_bytes()));
        }
        if what == Paper::Results {
            files.push((format!("{name}.{word}.txt"), self.results_text().into_bytes()));
            let text = serde_json::to_string_pretty(&self.results_json()).unwrap_or_default() + "\n";
            files.push((format!("{name}.{word}.json"), text.into_bytes()));
        }
        let mut written = Vec::new();
        for (file, bytes) in files {
            let path = directory.join(file);
            mantle_files::save(&path, &bytes).map_err(|error| said(&path, error))?;
            written.push(path);
        }
        Ok(written)
    }
}

/// The axes of a device.
fn axes_of(device: &DeviceDetail) -> Vec<AxisRange> {
    let axes = device.controls.iter().filter(|control| control.kind == "axis");
    let range = |control: &mantle_talk::ControlRow| AxisRange {
        name: control.name.clone(),
        promised: control.promised,
        seen: control.seen,
        rest: control.rest,
        calibrated: control.calibrated,
    };
    axes.map(range).collect()
}

/// Noise at rest beyond this share of an axis is worth a look.
const MUCH_NOISE: f64 = 0.02;

/// How healthy a device is: reports, gaps, noise, travel; whether each is good, where that can be said.
fn health_of(device: &DeviceDetail, axes: &[AxisRange]) -> Vec<(Option<bool>, String)> {
    let (all, _, bad) = device.reports;
    let mut found = vec![match (all, bad) {
        (0, _) => (None, "no reports yet".to_owned()),
        (_, 0) => (Some(true), format!("all {all} reports could be read")),
        _ => (Some(false), format!("{bad} of {all} reports could not be read: {}", device.last_bad)),
    }];
    if let Some(arriving) = &device.arriving {
        let gaps = &arriving.spread;
        if gaps.count > 0 {
            let words = format!("half of the reports within {}, longest gap {}", took(gaps.p50), took(gaps.most));
            found.push((None, words));
        }
        if let (Some(_), (lost, all)) = (arriving.steady, arriving.lost) {
            found.push((Some(lost == 0), format!("about {lost} of {all} reports lost in the last minute")));
        }
    }
    for axis in axes {
        let span = f64::from(axis.promised.1) - f64::from(axis.promised.0);
        if let Some((rest, noise)) = axis.rest {
            let noisy = f64::from(noise) > MUCH_NOISE * span;
            found.push((Some(!noisy), format!("{}: rests at {rest} ± {noise}", axis.name)));
        }
    }
    let unmoved = axes.iter().filter(|axis| axis.seen.is_none()).count();
    if unmoved > 0 {
        found.push((None, format!("axes not moved yet: {unmoved}")));
    }
    found
}

/// Whether a target can be tried: a bound control of the pad, or a typed key.
fn is_tried(row: &BindingRow) -> bool {
    row.target.is_seen() && !row.sources.is_empty()
}

/// The measurements, in words.
fn measured(trial: &TrialView, say: &mut impl FnMut(String, Option<bool>, String)) {
    for stick in &trial.sticks {
        let found = match stick.roundness {
            Some((least, most, off)) => format!("{least:.2} to {most:.2} of full, {:.1} % off a circle", off * 100.0),
            None => "not rolled around yet".into(),
        };
        say(format!("{}: outline", stick.name), None, found);
    }
    for axis in trial.singles() {
        let (low, high) = axis.ends;
        let ends = if low < 0 { format!("{low} to {high}") } else { high.to_string() };
        let found =
            axis.travel.map_or("nothing came yet".into(), |(from, to)| format!("from {from} to {to} of {ends}"));
        say(format!("{}: travel", axis.name), None, found);
    }
    let sticks = trial.sticks.iter().map(|stick| (stick.name.as_str(), trial.drift_of(stick)));
    let singles = trial.singles().map(|axis| (axis.name.as_str(), axis.drift));
    for (name, (drift, seconds)) in sticks.chain(singles) {
        let found = match seconds {
            0 => "not released for a second yet".into(),
            seconds => format!("{:.1} % to and fro at rest, seen in {seconds} of the last 60 s", drift * 100.0),
        };
        say(format!("{name}: drift"), None, found);
    }
}

/// The directory for exports from the screen; none without a home.
pub fn directory() -> Option<PathBuf> {
    Some(mantle_files::state_directory()?.join("paper"))
}
