//! Input nodes that are held while they play, and what is passed on of them.

use super::LinuxWorld;
use crate::workers::Job;
use mantle_core::cover::{CoverPlan, Strength};
use mantle_core::device::{DeviceId, NodeId};
use mantle_core::time::Micros;
use mantle_engine::Happening;
use rustix::fd::OwnedFd;

impl LinuxWorld {
    /// Input nodes are held: what nothing uses of them is passed on.
    pub(super) fn handle_held(&mut self, at: Micros, device: DeviceId, passes: Vec<(NodeId, OwnedFd)>) {
        for (id, to) in passes {
            let node = self.nodes.get_mut(usize::from(id.0)).and_then(Option::as_mut);
            // It may be held no longer.
            let left = match node {
                Some(node) => node.pass_on(device, to),
                None => Some(to),
            };
            if let (Some(to), Some(workers)) = (left, &self.workers) {
                workers.job(Job::Close(to));
            }
        }
        self.ready.push_back(Happening::Covered(at, device, Ok(Strength::Held)));
    }

    /// Holds the input nodes of a device through second handles of their descriptors.
    pub(super) fn hold(&mut self, plan: &CoverPlan) {
        let Some(workers) = &self.workers else { return };
        let mut holds = Vec::new();
        for interface in &plan.interfaces {
            let found = self.nodes.iter_mut().enumerate().find_map(|(index, node)| {
                node.as_mut().filter(|node| node.found.facts.path == interface.node).map(|node| (index, node))
            });
            if let Some((index, node)) = found {
                holds.extend(node.hold(NodeId(index as u16), plan.device, interface.pass.clone()));
            }
        }
        workers.hold(plan.device, holds);
    }

    /// A device is no longer held: nothing of it is passed on any more.
    pub(super) fn unhold(&mut self, device: DeviceId) {
        for node in self.nodes.iter_mut().flatten() {
            if let (Some(to), Some(workers)) = (node.unhold(device), &self.workers) {
                workers.job(Job::Close(to));
            }
        }
    }
}
