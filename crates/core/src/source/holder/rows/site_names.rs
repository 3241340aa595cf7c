//! Sites while rows are read: each once, found again by the text that names it or by the number of a row.

use std::collections::HashMap;

use rusqlite::types::ValueRef;

use crate::format::Site;

/// Sites by the numbers of rows, which mostly count from 1 without great gaps.
#[derive(Default)]
pub(super) struct ByNumber {
    dense: Vec<u32>,
    sparse: HashMap<i64, u32>,
}

impl ByNumber {
    /// Numbers up to this many are looked up by position.
    const DENSE: usize = 1 << 24;

    pub(super) fn insert(&mut self, number: i64, site: u32) {
        match usize::try_from(number) {
            Ok(at) if at < Self::DENSE => {
                if at >= self.dense.len() {
                    self.dense.resize((at + 1).next_power_of_two(), u32::MAX);
                }
                self.dense[at] = site;
            }
            _ => drop(self.sparse.insert(number, site)),
        }
    }

    pub(super) fn get(&self, number: i64) -> Option<u32> {
        match usize::try_from(number) {
            Ok(at) if at < Self::DENSE => {
                let site = self.dense.get(at).copied();
                site.filter(|site| *site != u32::MAX)
            }
            _ => self.sparse.get(&number).copied(),
        }
    }
}

/// Sites that were found, each once: there are many rows of few.
#[derive(Clone, Default)]
pub(super) struct KnownSites {
    sites: Vec<Site>,
    by_text: HashMap<Vec<u8>, Option<u32>>,
    by_site: HashMap<Site, u32>,
}

impl KnownSites {
    pub(super) fn of(&mut self, value: ValueRef<'_>) -> Option<u32> {
        let ValueRef::Text(text) = value else {
            return None;
        };
        // The whole address is seldom seen twice; its host is.
        let text = host_part(text);
        if let Some(known) = self.by_text.get(text) {
            return *known;
        }
        let site = std::str::from_utf8(text)
            .ok()
            .and_then(Site::of_host_or_address);
        let number = site.map(|site| {
            *self.by_site.entry(site).or_insert_with_key(|site| {
                self.sites.push(site.clone());
                u32::try_from(self.sites.len() - 1).unwrap_or(u32::MAX)
            })
        });
        self.by_text.insert(text.to_vec(), number);
        number
    }

    pub(super) fn get(&self, number: u32) -> Option<&Site> {
        self.sites.get(number as usize)
    }
}

/// An address up to the end of its host.
fn host_part(text: &[u8]) -> &[u8] {
    let Some(start) = text.windows(3).position(|three| three == b"://") else {
        return text;
    };
    let rest = text.get(start + 3..).unwrap_or_default();
    let end = rest
        .iter()
        .position(|byte| matches!(byte, b'/' | b'?' | b'#'));
    end.map_or(text, |end| text.get(..start + 3 + end).unwrap_or(text))
}
