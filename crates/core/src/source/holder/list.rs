//! Lists of documents that were opened last.

use std::collections::HashSet;

use crate::format::xbel::{Xbel, XbelEntry};
use crate::source::holder::address::name_of;
use crate::source::holder::{Fingerprint, Holder, HolderError, HolderItem, Refused};
use crate::source::recognise::local_path;

/// A list in XBEL.
pub(crate) struct List {
    xbel: Xbel,
    items: Vec<HolderItem>,
}

impl List {
    /// Reads one.
    ///
    /// # Errors
    /// When it is no list in XBEL, or beyond its limits.
    pub(crate) fn read(bytes: Vec<u8>) -> Result<Self, HolderError> {
        let xbel = Xbel::read(bytes)?;
        let item = |entry: &XbelEntry| {
            let exported = xbel.elements_of(entry);
            HolderItem {
                name: name_of(&entry.address).into_bytes(),
                time: entry.time,
                size: entry.length(),
                fingerprint: Fingerprint::of(exported.as_bytes()),
                leads_to: local_path(&entry.address).into_iter().collect(),
                set: None,
                reference: None,
            }
        };
        let items = xbel.entries().iter().map(item).collect();
        Ok(Self { xbel, items })
    }

    fn fingerprints(&self) -> Vec<Fingerprint> {
        self.items.iter().map(|item| item.fingerprint).collect()
    }

    /// Whether what was made anew holds exactly these items.
    fn proven(made: String, wanted: &[Fingerprint]) -> Result<Vec<u8>, HolderError> {
        let bytes = made.into_bytes();
        let again = Self::read(bytes.clone())?;
        if again.fingerprints() == wanted {
            Ok(bytes)
        } else {
            Err(HolderError::NotAsMeant)
        }
    }
}

impl Holder for List {
    fn items(&self) -> &[HolderItem] {
        &self.items
    }

    fn unreadable(&self) -> u64 {
        self.xbel.unnamed()
    }

    fn export(&mut self, at: usize) -> Result<Vec<u8>, HolderError> {
        let entry = self.xbel.entries().get(at);
        let entry = entry.ok_or(HolderError::NotAsMeant)?;
        Ok(self.xbel.elements_of(entry).into_bytes())
    }

    fn fingerprint_of(&self, exported: &[u8]) -> Option<Fingerprint> {
        Some(Fingerprint::of(exported))
    }

    fn without(&mut self, gone: &HashSet<Fingerprint>) -> Result<Vec<u8>, HolderError> {
        let entries = self.xbel.entries().iter().zip(&self.items);
        let out: HashSet<&str> = entries
            .filter(|(_, item)| gone.contains(&item.fingerprint))
            .map(|(entry, _)| entry.address.as_str())
            .collect();
        let made = self
            .xbel
            .without(&|entry| out.contains(entry.address.as_str()));
        let mut kept = self.fingerprints();
        kept.retain(|one| !gone.contains(one));
        Self::proven(made, &kept)
    }

    fn with(&mut self, exported: &[Vec<u8>]) -> Result<(Vec<u8>, Refused), HolderError> {
        let mut elements = Vec::with_capacity(exported.len());
        let mut wanted = self.fingerprints();
        for bytes in exported {
            let text = String::from_utf8(bytes.clone()).ok();
            elements.push(text.ok_or(HolderError::NotAsMeant)?);
            wanted.push(Fingerprint::of(bytes));
        }
        let bytes = Self::proven(self.xbel.with(&elements)?, &wanted)?;
        Ok((bytes, Refused::new()))
    }
}
