//! The worker that covers and uncovers.

use super::{CoverJob, Done, Reporter};
use crate::coverer::{Covered, Coverer};
use crate::evdev::Hold;
use crossbeam_channel::{Receiver, RecvTimeoutError, select};
use mantle_core::cover::{CoverPlan, Strength};
use mantle_core::device::DeviceId;
use std::time::{Duration, Instant};

/// How often a device whose keys are down is checked again.
const LOOK_AGAIN: Duration = Duration::from_millis(20);
/// How long after covering by rule failed a device that is only held is tried again.
const STRONGER_AFTER: Duration = Duration::from_secs(30);

/// Only requests are waited for.
const FOR_EVER: Duration = Duration::from_secs(86_400);

/// What is to be covered, as soon as nothing is down on it.
enum Waiting {
    Plan(CoverPlan),
    Hold(DeviceId, Vec<Hold>),
}

impl Waiting {
    fn device(&self) -> DeviceId {
        match self {
            Self::Plan(plan) => plan.device,
            Self::Hold(device, _) => *device,
        }
    }
}

/// Works through covering. A device on which something is down waits for its release, and nobody waits for it.
pub(super) fn cover(mut coverer: Coverer, jobs: &Receiver<CoverJob>, out: &Reporter) {
    let mut waiting: Vec<(Waiting, Instant)> = Vec::new();
    let gone = coverer.gone();
    // Devices that are held but should be hidden, and when that is tried again.
    let mut weaker: Vec<(DeviceId, Instant)> = Vec::new();
    loop {
        let pause = match weaker.iter().map(|(_, at)| *at).min() {
            _ if !waiting.is_empty() => LOOK_AGAIN,
            Some(at) => at.saturating_duration_since(Instant::now()),
            None => FOR_EVER,
        };
        let job = select! {
            recv(jobs) -> job => job.map_err(|_| RecvTimeoutError::Disconnected),
            recv(gone) -> _ => {
                // Whoever hid devices is gone, and another one has taken over where possible.
                for device in coverer.hide_all_again() {
                    weaker.push((device, Instant::now()));
                }
                Err(RecvTimeoutError::Timeout)
            }
            default(pause) => Err(RecvTimeoutError::Timeout),
        };
        let now = Instant::now();
        weaker.retain(|(device, at)| {
            if *at <= now {
                out.report(Done::CoverAgain(*device));
            }
            *at > now
        });
        assert!(!crate::hooks::fails_in("cover"), "the cover worker was asked to fail");
        let mut wanted = std::mem::take(&mut waiting);
        match job {
            Ok(CoverJob::Cover(plan)) => wanted.push((Waiting::Plan(plan), Instant::now())),
            Ok(CoverJob::Hold(device, nodes)) => wanted.push((Waiting::Hold(device, nodes), Instant::now())),
            Ok(CoverJob::Uncover(device)) => {
                wanted.retain(|(what, _)| what.device() != device);
                weaker.retain(|(own, _)| *own != device);
                coverer.uncover(device);
            }
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => break,
        }
        for (what, since) in wanted {
            let done = match &what {
                Waiting::Plan(plan) => match coverer.cover(plan, since) {
                    Covered::Waits => None,
                    Covered::Weaker => {
                        weaker.push((plan.device, Instant::now() + STRONGER_AFTER));
                        Some(Done::Covered(plan.device, Ok(Strength::Held)))
                    }
                    Covered::Done(result) => Some(Done::Covered(plan.device, result)),
                },
                Waiting::Hold(device, nodes) => match coverer.hold(*device, nodes, since) {
                    Ok(None) => None,
                    Ok(Some(passes)) => Some(Done::Held(*device, passes)),
                    Err(refused) => Some(Done::Covered(*device, Err(refused))),
                },
            };
            match done {
                Some(done) => out.report(done),
                None => waiting.push((what, since)),
            }
            coverer.take_notes().into_iter().for_each(|note| out.report(Done::Note(note)));
        }
    }
    coverer.uncover_all();
}
