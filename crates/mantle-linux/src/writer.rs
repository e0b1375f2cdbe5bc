//! One writer for each device: what is sent to it, in order; of rumble and lamps only the latest.

use crate::driven;
use crate::ioctls;
use crate::shaker::Shaker;
use crossbeam_channel::Receiver;
use mantle_core::device::OsFault;
use mantle_core::outgoing::{Act, DriverAct, Sent};
use mantle_core::table::Purpose;
use mantle_hid::{Descriptor, ReportKind};
use rustix::fd::{AsFd, OwnedFd};
use rustix::io::Errno;
use std::path::Path;

/// Something to be sent.
#[derive(Clone, Debug)]
pub(crate) struct OutputRequest {
    pub request: u32,
    pub purpose: Purpose,
    pub act: Act,
}

/// Works through letters until nobody sends any more.
pub(crate) fn run(
    fd: &OwnedFd,
    (path, sys): (&str, &Path),
    incoming: &Receiver<OutputRequest>,
    mut report: impl FnMut(&OutputRequest, Result<Sent, OsFault>),
) {
    let mut shaker = Shaker::new(sys);
    while let Ok(first) = incoming.recv() {
        let mut waiting: Vec<OutputRequest> = std::iter::once(first).chain(incoming.try_iter()).collect();
        while !waiting.is_empty() {
            let letter = waiting.remove(0);
            if outdated(&letter, &waiting) {
                continue;
            }
            let result = match &letter.act {
                Act::Driver(DriverAct::Shake { node, strong, weak }) => {
                    shaker.shake(node, *strong, *weak).map(|()| Sent::Done)
                }
                other => act(fd, path, other),
            };
            report(&letter, result);
            waiting.extend(incoming.try_iter());
        }
    }
}

/// Whether a later request supersedes this one.
fn outdated(letter: &OutputRequest, later: &[OutputRequest]) -> bool {
    matches!(letter.purpose, Purpose::Rumble | Purpose::Lamps | Purpose::Colour)
        && later.iter().any(|other| other.purpose == letter.purpose)
}

/// Does what is to be done; blocks as long as the device does.
///
/// # Errors
/// What the system, or the device, refused.
pub fn act(fd: &OwnedFd, path: &str, act: &Act) -> Result<Sent, OsFault> {
    let fault = |operation: &str, errno: Errno| OsFault {
        operation: operation.into(),
        path: path.into(),
        errno: errno.raw_os_error(),
    };
    match act {
        Act::Send(ReportKind::Feature, bytes) => {
            ioctls::set_feature(fd.as_fd(), bytes).map_err(|errno| fault("setting a feature report", errno))?;
            Ok(Sent::Done)
        }
        Act::Send(_, bytes) => match rustix::io::write(fd, bytes) {
            Ok(_) => Ok(Sent::Done),
            Err(errno) => Err(fault("writing an output report", errno)),
        },
        Act::Get { report, length } => {
            let mut bytes = vec![0; usize::from((*length).max(1))];
            bytes[0] = *report;
            let got = ioctls::get_feature(fd.as_fd(), &mut bytes)
                .map_err(|errno| fault("getting a feature report", errno))?;
            bytes.truncate(got);
            Ok(Sent::Got(bytes))
        }
        Act::Driver(DriverAct::Light { lamp, colour }) => driven::light(lamp, *colour).map(|()| Sent::Done),
        Act::Driver(DriverAct::Player { lamps, player }) => driven::show_player(lamps, *player).map(|()| Sent::Done),
        Act::Driver(DriverAct::Shake { node, .. }) => {
            let (operation, path, errno) = ("shaking".into(), node.clone(), Errno::NOTSUP.raw_os_error());
            Err(OsFault { operation, path, errno })
        }
    }
}

/// How many reports of a device are asked for at most: hardly any has more ids.
const IDS: usize = 16;

/// Asks a device how it stands: one report for each of its input report ids, as they would be read.
///
/// # Errors
/// What the system, or the device, refused.
pub(crate) fn inputs(fd: &OwnedFd, path: &str, descriptor: &[u8]) -> Result<Vec<Vec<u8>>, OsFault> {
    let fault = |errno: Errno| OsFault {
        operation: "getting an input report".into(),
        path: path.into(),
        errno: errno.raw_os_error(),
    };
    let descriptor = Descriptor::parse(descriptor).map_err(|_| fault(Errno::INVAL))?;
    let numbered = descriptor.numbered(ReportKind::Input);
    let mut out = Vec::new();
    for report in descriptor.reports_of(ReportKind::Input).take(IDS) {
        let mut bytes = vec![0; 1 + report.bits.div_ceil(8) as usize];
        bytes[0] = report.id.0;
        let got = ioctls::get_input(fd.as_fd(), &mut bytes).map_err(fault)?;
        bytes.truncate(got);
        out.push(if numbered { bytes } else { bytes.split_off(1.min(got)) });
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_latest_rumble_is_written_and_every_other_write() {
        let letter = |purpose| OutputRequest { request: 0, purpose, act: Act::Get { report: 0, length: 1 } };
        let later = [letter(Purpose::Rumble), letter(Purpose::StartUp)];
        assert!(outdated(&letter(Purpose::Rumble), &later));
        assert!(!outdated(&letter(Purpose::StartUp), &later));
        assert!(!outdated(&letter(Purpose::Lamps), &later));
    }
}
