//! Some items of one pile, with running sums, as small as bits.

use crate::pile::{Pile, Scan, Sum};

/// Positions that one number holds.
const STRIDE: usize = 64;

/// Some items of one pile, by position in its order.
///
/// # Invariants
/// Once settled, `sums[n]` counts the marked ones among the first `n * STRIDE` positions.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Marked {
    bits: Vec<u64>,
    sums: Vec<Sum>,
    all: Sum,
}

impl Marked {
    /// Nothing of a pile of so many items.
    pub(super) fn none_of(len: usize) -> Self {
        Self {
            bits: vec![0; len.div_ceil(STRIDE)],
            sums: Vec::new(),
            all: Sum::default(),
        }
    }

    /// Marks a position.
    pub(super) fn set(&mut self, position: usize) {
        if let Some(bits) = self.bits.get_mut(position / STRIDE) {
            *bits |= 1 << (position % STRIDE);
        }
    }

    /// Takes a mark away.
    pub(super) fn unset(&mut self, position: usize) {
        if let Some(bits) = self.bits.get_mut(position / STRIDE) {
            *bits &= !(1 << (position % STRIDE));
        }
    }

    /// Whether a position is marked.
    pub(super) fn has(&self, position: usize) -> bool {
        let bits = self.bits.get(position / STRIDE);
        bits.is_some_and(|bits| bits & (1 << (position % STRIDE)) != 0)
    }

    /// Marks also what another one marks.
    pub(super) fn unite(&mut self, other: &Self) {
        for (bits, more) in self.bits.iter_mut().zip(&other.bits) {
            *bits |= more;
        }
    }

    /// Whether nothing is marked.
    pub(super) fn is_empty(&self) -> bool {
        self.bits.iter().all(|bits| *bits == 0)
    }

    /// Adds up what the marked items free: `frees` says it of a position.
    pub(super) fn sum_up(&mut self, frees: &dyn Fn(usize) -> u64) {
        let mut sum = Sum::default();
        self.sums = Vec::with_capacity(self.bits.len());
        for (at, bits) in self.bits.iter().enumerate() {
            self.sums.push(sum);
            for one in ones(*bits) {
                sum.add(Sum {
                    items: 1,
                    bytes: frees(at * STRIDE + one),
                });
            }
        }
        self.all = sum;
    }

    /// All that is marked.
    pub(super) fn all(&self) -> Sum {
        self.all
    }

    /// What is marked among the first `count` positions.
    pub(super) fn before(&self, scan: &Scan, pile: &Pile, count: usize) -> Sum {
        let at = count / STRIDE;
        let (Some(known), Some(bits)) = (self.sums.get(at), self.bits.get(at)) else {
            return self.all;
        };
        let mut sum = *known;
        let below = bits & ((1_u64 << (count % STRIDE)) - 1);
        sum.add(sum_of(scan, pile, at, below));
        sum
    }
}

/// The positions of the ones in a number, lowest first.
fn ones(mut bits: u64) -> impl Iterator<Item = usize> {
    std::iter::from_fn(move || {
        (bits != 0).then(|| {
            let one = bits.trailing_zeros() as usize;
            bits &= bits - 1;
            one
        })
    })
}

/// What the marked ones of one stride free.
fn sum_of(scan: &Scan, pile: &Pile, at: usize, bits: u64) -> Sum {
    let mut sum = Sum::default();
    for one in ones(bits) {
        if let Some(item) = pile.item_at(at * STRIDE + one) {
            sum.add(Sum {
                items: 1,
                bytes: scan.arena.frees(item),
            });
        }
    }
    sum
}
