//! Nodes that come and go: what a scan has found, and what is opened of it.

use super::{LinuxWorld, NODE, POWER_EVERY, READY_PAUSE, READY_TRIES};
use crate::clock::now;
use crate::node::Node;
use crate::opener::Wanted;
use crate::sysfs::FoundNode;
use crate::watch::{self, Changes};
use crate::workers::{Job, Opened, Supply, Workers};
use mantle_core::device::{Bus, NodeId, OsFault};
use mantle_core::time::Micros;
use mantle_engine::Happening;
use rustix::event::epoll::{self, EventData, EventFlags};

impl LinuxWorld {
    pub(super) fn scan(&mut self) {
        if self.scanning {
            self.scan_again = true;
        } else if let Some(workers) = &self.workers {
            self.scanning = true;
            workers.scan();
        }
    }

    pub(super) fn lose(&mut self, index: u16) {
        if let Some(Some(mut node)) = self.nodes.get_mut(usize::from(index)).map(Option::take) {
            self.close(&mut node);
            self.ready.push_back(Happening::Gone(now(), NodeId(index)));
        }
    }

    pub(super) fn close(&self, node: &mut Node) {
        if let Some(fd) = &node.fd {
            let _ = epoll::delete(&self.epoll, fd);
        }
        if let (Some(job), Some(workers)) = (node.close(), &self.workers) {
            workers.job(job);
        }
    }

    pub(super) fn handle_scan(&mut self, mut found: Vec<FoundNode>) {
        // A half-removed node is still listed, but its own directory is gone. It is not another node that has taken its place.
        found.retain(|one| one.wanted.generation != 0);
        // A node that was only just made, perhaps by our own rebinding, may not be described completely yet.
        let is_ready = |one: &FoundNode| !one.facts.descriptor.is_empty();
        if found.iter().all(is_ready) {
            self.unready = 0;
        } else if self.unready < READY_TRIES {
            self.unready += 1;
            self.scan_at = Some(now().after(READY_PAUSE));
            found.retain(is_ready);
        }
        let same = |a: &FoundNode, b: &FoundNode| {
            a.facts.path == b.facts.path && a.wanted == b.wanted && a.facts.descriptor == b.facts.descriptor
        };
        for index in 0..self.nodes.len() {
            let gone = self.nodes[index].as_ref().is_some_and(|node| !found.iter().any(|f| same(f, &node.found)));
            if gone {
                self.lose(index as u16);
            }
        }
        self.dead.retain(|dead| found.iter().any(|one| one.wanted == *dead));
        for one in found {
            if self.dead.contains(&one.wanted) {
                continue;
            }
            let known = self
                .nodes
                .iter_mut()
                .enumerate()
                .find_map(|(i, n)| n.as_mut().filter(|n| same(&one, &n.found)).map(|n| (i, n)));
            if let Some((index, node)) = known {
                let (own, new) = (&mut node.found.facts, one.facts);
                if own.inputs != new.inputs || own.driven != new.driven {
                    (own.inputs, own.driven) = (new.inputs.clone(), new.driven.clone());
                    let driven = Box::new(new.driven);
                    self.ready.push_back(Happening::Inputs(now(), NodeId(index as u16), new.inputs, driven));
                    self.power_at = Some(now());
                }
                continue;
            }
            let index = self.nodes.iter().position(Option::is_none).unwrap_or(self.nodes.len());
            let mut facts = one.facts.clone();
            facts.id = NodeId(index as u16);
            if facts.driven.power.is_some() || facts.identity.bus == Bus::BLUETOOTH {
                self.power_at = Some(now());
            }
            let node = Some(Node::new(one));
            if index == self.nodes.len() {
                self.nodes.push(node);
            } else {
                self.nodes[index] = node;
            }
            self.ready.push_back(Happening::Arrived(now(), Box::new(facts)));
        }
        self.scanning = false;
        if std::mem::take(&mut self.scan_again) {
            self.scan();
        }
    }

    pub(super) fn handle_opened(&mut self, at: Micros, id: NodeId, wanted: &Wanted, result: Result<Opened, OsFault>) {
        let node = self.nodes.get_mut(usize::from(id.0)).and_then(Option::as_mut);
        // By now the number may belong to another node.
        let node = node.filter(|node| node.found.wanted == *wanted && node.fd.is_none());
        match (node, result) {
            (Some(node), Ok((fd, input))) => {
                let data = EventData::new_u64(NODE | u64::from(id.0));
                match epoll::add(&self.epoll, &fd, data, EventFlags::IN) {
                    Ok(()) => {
                        node.fd = Some(fd);
                        if input.is_some() {
                            // It reports its state at once, without waiting for the first event.
                            self.readable.push_back(id.0);
                        }
                        node.input = input;
                        self.ready.push_back(Happening::Opened(at, id, Ok(())));
                    }
                    Err(errno) => {
                        let (operation, path) = ("listen".into(), wanted.path.clone());
                        let fault = OsFault { operation, path, errno: errno.raw_os_error() };
                        self.ready.push_back(Happening::Opened(at, id, Err(fault)));
                    }
                }
            }
            (Some(_), Err(fault)) => self.ready.push_back(Happening::Opened(at, id, Err(fault))),
            (None, Ok((fd, input))) => {
                if let Some(workers) = &self.workers {
                    workers.job(Job::closing(fd, input));
                }
            }
            (None, Err(_)) => {}
        }
    }

    /// Something in `/dev`, or among the sheets, has changed: a scan follows, and refused nodes are tried again.
    pub(super) fn handle_watcher(&mut self) {
        let Some(watcher) = &self.watcher else { return };
        let Changes { scan, sheets, profiles, pads, settings, rules, session, rights } = watch::changes(watcher);
        for (index, node) in self.nodes.iter().enumerate() {
            let path = node.as_ref().filter(|node| node.fd.is_none()).map(|node| &node.found.facts.path);
            if path.is_some_and(|path| rights.contains(path)) {
                self.ready.push_back(Happening::Changed(now(), NodeId(index as u16)));
            }
        }
        if (sheets || profiles || pads || settings || rules)
            && let (Some(workers), Ok(watcher)) = (&self.workers, watcher.try_clone())
        {
            workers.watch(watcher, self.own.clone());
        }
        if session {
            self.handle_session();
        }
        if sheets {
            self.workers.iter().for_each(Workers::read_sheets);
        }
        if profiles {
            self.workers.iter().for_each(Workers::read_profiles);
        }
        if pads {
            self.workers.iter().for_each(Workers::read_own_pads);
        }
        if settings {
            self.workers.iter().for_each(Workers::read_settings);
        }
        if rules {
            self.workers.iter().for_each(Workers::read_rules);
        }
        if scan {
            self.scan();
        }
    }

    /// Reports of a node are lost, and it does not report its state by itself, so it is asked.
    pub(super) fn ask(&mut self, at: Micros, index: u16) {
        let Some(Some(node)) = self.nodes.get(usize::from(index)) else { return };
        let second = node.fd.as_ref().and_then(|fd| fd.try_clone().ok());
        self.ready.push_back(Happening::Overrun(at, NodeId(index)));
        if let (Some(fd), Some(workers)) = (second, &self.workers) {
            workers.ask(NodeId(index), &node.found, fd);
        }
    }

    /// Asks the batteries of connected devices.
    pub(super) fn read_power(&mut self, at: Micros) {
        let supplies: Vec<(NodeId, Wanted, Supply)> = self
            .nodes
            .iter()
            .enumerate()
            .filter_map(|(index, node)| {
                let found = &node.as_ref()?.found;
                let identity = &found.facts.identity;
                let by_radio = identity.bus == Bus::BLUETOOTH && !identity.uniq.is_empty();
                let supply = match &found.facts.driven.power {
                    Some(path) => Supply::File(path.clone()),
                    None if by_radio => Supply::Address(identity.uniq.clone()),
                    None => return None,
                };
                Some((NodeId(index as u16), found.wanted.clone(), supply))
            })
            .collect();
        self.power_at = None;
        if let Some(workers) = self.workers.as_ref().filter(|_| !supplies.is_empty()) {
            self.power_at = Some(at.after(POWER_EVERY));
            workers.read_power(supplies);
        }
    }

    /// Looks at what is not a report.
    pub(super) fn look(&mut self) {
        self.since_look = 0;
        while let Some(Ok(done)) = self.workers.as_ref().map(|workers| workers.done.try_recv()) {
            self.handle_done(done);
        }
        while let Some(order) = self.orders.as_ref().and_then(|orders| orders.channel.try_recv().ok()) {
            self.handle_order(order);
        }
    }
}
