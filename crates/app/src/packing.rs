//! Packing what is kept, and rescuing what somebody kept: for the command line and the interface alike.

use std::path::Path;

use jolly_core::computer::{Account, TargetPath};
use jolly_core::packing::{Gain, HomeContents, PackError, home_contents, top_of};
use jolly_core::run::{
    PackSummary, Packing, RescueOrder, RescueSummary, pack, pack_in_place, rescue, unpack,
    weigh_packing,
};
use jolly_core::state::RunId;
use jolly_core::{CancelToken, error_chain};

use crate::session::{Session, clock};
use crate::wording::bytes;

/// Which way something goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PackWay {
    /// Into an archive.
    In,
    /// Out of one.
    Out,
}

impl PackWay {
    /// The way of a name: what is called as an archive comes out.
    pub(crate) fn of(path: &TargetPath) -> Self {
        top_of(path.name()).map_or(Self::In, |_| Self::Out)
    }
}

impl Session {
    /// Packs a thing, or takes it out of its archive.
    pub(crate) fn pack(
        &self,
        path: &TargetPath,
        way: PackWay,
        (cancel, moved): (&CancelToken, &dyn Fn(u64)),
    ) -> Result<PackSummary, PackError> {
        let run = RunId::new(clock(), std::process::id());
        let work = self.packing(&run, (cancel, moved));
        match way {
            PackWay::In => pack(&work, path),
            PackWay::Out => unpack(&work, path),
        }
    }

    /// Has the file system pack a thing in place.
    pub(crate) fn pack_in_place(
        &self,
        path: &TargetPath,
        cancel: &CancelToken,
    ) -> Result<PackSummary, PackError> {
        let run = RunId::new(clock(), std::process::id());
        pack_in_place(&self.packing(&run, (cancel, &|_| {})), path)
    }

    /// What packing a thing would gain.
    pub(crate) fn weigh_packing(
        &self,
        path: &TargetPath,
        cancel: &CancelToken,
    ) -> Result<Gain, PackError> {
        weigh_packing(&self.target, &self.own, path, cancel)
    }

    /// Rescues some of a home, or all of it, into a folder of this machine.
    pub(crate) fn rescue(
        &self,
        account: &Account,
        (paths, to, owner): (&[TargetPath], &Path, Option<(u32, u32)>),
        (cancel, moved): (&CancelToken, &dyn Fn(u64)),
    ) -> Result<RescueSummary, PackError> {
        let run = RunId::new(clock(), std::process::id());
        let work = self.packing(&run, (cancel, moved));
        let order = RescueOrder {
            account,
            paths,
            to,
            owner,
        };
        rescue(&work, &order)
    }

    /// What is in the home of an account.
    pub(crate) fn home_contents(
        &self,
        account: &Account,
        cancel: &CancelToken,
    ) -> Result<HomeContents, PackError> {
        home_contents(&self.target, account, cancel)
    }

    fn packing<'a>(
        &'a self,
        run: &'a RunId,
        (cancel, moved): (&'a CancelToken, &'a dyn Fn(u64)),
    ) -> Packing<'a> {
        Packing {
            target: &self.target,
            state: &self.state,
            run,
            own: &self.own,
            cancel,
            clock: &clock,
            moved,
        }
    }
}

/// Why something wasn't packed, in words.
pub(crate) fn why_not(error: &PackError) -> String {
    match error {
        PackError::NoGain {
            path,
            whole,
            packed,
        } => format!(
            "{path} stays as it is: {} would become about {}",
            bytes(*whole),
            bytes(*packed)
        ),
        PackError::NoRoom { needs, free } => format!(
            "it takes about {}, and {} are free there",
            bytes(*needs),
            bytes(*free)
        ),
        error => error_chain(error),
    }
}
