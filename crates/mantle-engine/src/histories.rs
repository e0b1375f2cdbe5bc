//! The histories of all nodes, those of nodes that have left within the last minute among them.

use crate::history::{BACK, History, KeptReports, is_keyboard};
use crate::parts::sources;
use mantle_core::device::NodeId;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_talk::{HistoryAnswer, HistoryRequest};

/// All histories.
#[derive(Default)]
pub(crate) struct Histories {
    by_node: Vec<Option<History>>,
    /// Those of nodes whose numbers belong to others now.
    gone: Vec<(NodeId, History)>,
}

impl Histories {
    /// Forgets everything.
    pub fn clear(&mut self) {
        (self.by_node, self.gone) = Default::default();
    }

    /// The history of a node, if it is kept.
    pub fn of_mut(&mut self, node: NodeId) -> Option<&mut History> {
        self.by_node.get_mut(usize::from(node.0))?.as_mut()
    }

    /// Some of a node's reports.
    pub fn answer(&self, request: &HistoryRequest) -> HistoryAnswer {
        let history = self.by_node.get(usize::from(request.node.0)).and_then(Option::as_ref);
        let nothing = HistoryAnswer { node: request.node, rows: Vec::new(), more: false };
        history.map_or(nothing, |history| history.answer(request))
    }

    /// The reports that may go into a case.
    pub fn for_case(&self, keyboards: bool) -> Vec<(NodeId, KeptReports)> {
        let here = self.by_node.iter().enumerate();
        let here = here.filter_map(|(node, history)| Some((NodeId(node as u16), history.as_ref()?)));
        let all = self.gone.iter().map(|(node, history)| (*node, history)).chain(here);
        let may_go = all.filter(|(_, history)| keyboards || !history.keyboard);
        may_go.map(|(node, history)| (node, history.kept.clone())).collect()
    }

    /// Gives every node that may be kept a history.
    pub fn update(&mut self, now: Micros, table: &Table, keyboards: bool) {
        for source in sources(table) {
            let index = usize::from(source.facts.id.0);
            if self.by_node.len() <= index {
                self.by_node.resize_with(index + 1, || None);
            }
            let place = &mut self.by_node[index];
            if !place.as_ref().is_some_and(|history| history.is_of(source)) {
                let before = std::mem::replace(place, History::new(source, keyboards));
                self.gone.extend(before.map(|history| (source.facts.id, history)));
            } else if !keyboards && is_keyboard(source) {
                // Once switched off, what was typed is forgotten at once.
                *place = None;
            }
        }
        let lately = |history: &History| history.kept.latest().is_some_and(|latest| now.since(latest) <= BACK);
        self.gone.retain(|(_, history)| lately(history) && (keyboards || !history.keyboard));
    }
}
