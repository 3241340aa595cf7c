//! Items that stay in the plan that they were written to: a block of its lines is read when one of them is asked for.

use std::io;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use crate::format::RandomAccess;
use crate::plan::file::line::add_line;
use crate::plan::items::columns::Columns;

/// Bytes of a block at least: enough that a read is worth it, few enough that many are forgotten again.
const BLOCK: usize = 128 * 1024;

/// Lines of a plan that follow each other.
#[derive(Debug)]
struct Block {
    at: u64,
    len: usize,
    /// The number of its first item.
    first: usize,
    hash: blake3::Hash,
}

/// The blocks of a plan, while it is read through.
#[derive(Default)]
pub(crate) struct Blocks {
    closed: Vec<Block>,
    open: Vec<u8>,
    /// Where the open block begins, and with which item.
    at: u64,
    first: usize,
    many: usize,
}

impl Blocks {
    /// Notes a line, where it lies, and how many items it has.
    pub(crate) fn note_line(&mut self, (at, text): (u64, &[u8]), many: usize) {
        if self.open.is_empty() {
            (self.at, self.first) = (at, self.many);
        }
        self.open.extend_from_slice(text);
        self.many += many;
        if self.open.len() >= BLOCK {
            self.close();
        }
    }

    /// Ends the open block.
    pub(super) fn close(&mut self) {
        if !self.open.is_empty() {
            self.closed.push(Block {
                at: self.at,
                len: self.open.len(),
                first: self.first,
                hash: blake3::hash(&self.open),
            });
            self.open.clear();
        }
    }

    /// The items of a plan that was read to its end.
    pub(crate) fn end(mut self, plan: RandomAccess) -> StoredItems {
        self.close();
        StoredItems {
            plan,
            blocks: self.closed,
            many: self.many,
            last: Mutex::default(),
            failure: OnceLock::new(),
        }
    }
}

/// The block that was read last, with its position.
type LastBlock = Option<(usize, Arc<Columns>)>;

/// The items of a plan that was read through once.
#[derive(Debug)]
pub(crate) struct StoredItems {
    plan: RandomAccess,
    blocks: Vec<Block>,
    many: usize,
    last: Mutex<LastBlock>,
    failure: OnceLock<String>,
}

impl StoredItems {
    pub(crate) fn len(&self) -> usize {
        self.many
    }

    /// Why items could not be given any more.
    pub(crate) fn failure(&self) -> Option<&str> {
        self.failure.get().map(String::as_str)
    }

    /// The block that an item is in, and the number of the first in it; nothing behind the last, or when the plan is no
    /// longer what it was.
    pub(crate) fn block_of(&self, number: usize) -> Option<(usize, Arc<Columns>)> {
        if number >= self.many || self.failure.get().is_some() {
            return None;
        }
        let next = self.blocks.partition_point(|block| block.first <= number);
        let at = next.checked_sub(1)?;
        let block = self.blocks.get(at)?;
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((known, columns)) = &*last
            && *known == at
        {
            return Some((block.first, Arc::clone(columns)));
        }
        match self.read(block) {
            Ok(columns) => {
                let columns = Arc::new(columns);
                *last = Some((at, Arc::clone(&columns)));
                Some((block.first, columns))
            }
            Err(why) => {
                // The first reason is the one that counts.
                drop(self.failure.set(why));
                None
            }
        }
    }

    fn read(&self, block: &Block) -> Result<Columns, String> {
        let mut bytes = vec![0; block.len];
        let mut filled = 0;
        while let Some(rest) = bytes.get_mut(filled..).filter(|rest| !rest.is_empty()) {
            match self
                .plan
                .read_at(rest, block.at.saturating_add(filled as u64))
            {
                Ok(0) => break,
                Ok(read) => filled += read,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(format!("the plan can't be read any more: {error}")),
            }
        }
        if filled < block.len || blake3::hash(&bytes) != block.hash {
            return Err("the plan was altered while it was carried out".to_owned());
        }
        let mut columns = Columns::default();
        for line in bytes.split_inclusive(|byte| *byte == b'\n') {
            add_line(line, &mut columns)?;
        }
        Ok(columns)
    }
}
