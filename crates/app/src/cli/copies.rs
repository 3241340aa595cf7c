//! `copies`: files that are there twice, as pairs of folders, then the rest.

use std::path::PathBuf;

use jolly_core::computer::{TargetPath, WrittenPath};
use jolly_core::survey::{CopyGroup, FolderPair, Side, copies};
use jolly_core::walk::{FileTree, FolderNumber, walk_tree};
use serde_json::{Value, json};

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::persist;
use crate::session::Session;
use crate::wording::{bytes, count, counted};

pub(super) fn run(options: &SharedOptions, folders: &[PathBuf]) -> Result<Exit, Refusal> {
    let session = Session::of_options(options)?;
    let below = folders
        .iter()
        .map(|folder| session.folder_on_target(folder));
    let below: Vec<TargetPath> = below.collect::<Result<_, _>>()?;
    let cancel = print::cancel_on_interrupt()?;
    let progress = print::Progress::new();
    let target = &session.target;
    let tree = walk_tree(target, &below, &cancel, &|news| progress.walk(&news));
    let meant = session.files.read_meant_the_same();
    let meant = meant.map_err(|error| persist::refuse(&error))?;
    let found = copies(target, &tree, (&below, &meant), &cancel, &|news| {
        progress.copies(news);
    });
    progress.end();
    if found.is_partial {
        return Ok(Exit::Stopped);
    }
    for place in tree.unread.iter().chain(&found.unread) {
        print::message(&format!("not read  {}: {}", place.place, place.reason));
    }
    for pair in &found.pairs {
        if options.json {
            print::json(&pair_as_json(&tree, pair))?;
        } else {
            write_pair(&tree, pair)?;
        }
    }
    let rest = found.rest.iter().filter_map(|at| found.groups.get(*at));
    for group in rest {
        if options.json {
            print::json(&group_as_json(&tree, group))?;
        } else {
            write_group(&tree, group)?;
        }
    }
    if found.groups.is_empty() && !options.json {
        let looked = counted(found.candidates, "file");
        print::message(&format!(
            "nothing is there twice; {looked} of equal length were compared"
        ));
    }
    Ok(Exit::Done)
}

fn place(tree: &FileTree, folder: FolderNumber) -> TargetPath {
    tree.folder_path(folder)
}

fn pair_as_json(tree: &FileTree, pair: &FolderPair) -> Value {
    let side = pair.stays.map(|(side, _)| match side {
        Side::A => "a",
        Side::B => "b",
    });
    let mut object = json!({
        "a": place(tree, pair.a).to_string(),
        "b": place(tree, pair.b).to_string(),
        "shared": { "files": pair.groups.len(), "bytes": pair.bytes },
        "only_a": pair.only_a,
        "only_b": pair.only_b,
        "whole": pair.is_whole,
        "stays": side,
        "reason": pair.stays.map(|(_, why)| why.words()),
    });
    for (key, folder) in [("a_base64", pair.a), ("b_base64", pair.b)] {
        let written = WrittenPath::from(&place(tree, folder));
        if let (Some(exact), Some(object)) = (written.path_base64, object.as_object_mut()) {
            object.insert(key.to_owned(), Value::String(exact));
        }
    }
    object
}

fn group_as_json(tree: &FileTree, group: &CopyGroup) -> Value {
    let written = group
        .files
        .iter()
        .map(|file| WrittenPath::from(&tree.file_path(*file)));
    let written: Vec<WrittenPath> = written.collect();
    let paths: Vec<&str> = written.iter().map(|one| one.path.as_str()).collect();
    let mut object = json!({
        "hash": group.hash_text(),
        "size": group.size,
        "paths": paths,
    });
    if written.iter().any(|one| one.path_base64.is_some())
        && let Some(object) = object.as_object_mut()
    {
        let exact = written.iter().map(|one| one.path_base64.clone());
        object.insert("paths_base64".to_owned(), json!(exact.collect::<Vec<_>>()));
    }
    object
}

fn write_pair(tree: &FileTree, pair: &FolderPair) -> Result<(), Refusal> {
    let (a, b) = (place(tree, pair.a), place(tree, pair.b));
    print::result(|out| {
        writeln!(
            out,
            "{:>10}  {} in both: {a}  and  {b}",
            bytes(pair.bytes),
            counted(pair.groups.len() as u64, "file")
        )?;
        let more = match (pair.only_a, pair.only_b) {
            (0, 0) => "neither has more".to_owned(),
            (a, 0) => format!("{} only in the first", count(a)),
            (0, b) => format!("{} only in the second", count(b)),
            (a, b) => format!(
                "{} only in the first, {} only in the second",
                count(a),
                count(b)
            ),
        };
        match pair.stays {
            Some((side, why)) => {
                let which = match side {
                    Side::A => "first",
                    Side::B => "second",
                };
                writeln!(
                    out,
                    "{:10}  {more}; the {which} had better stay: {}",
                    "",
                    why.words()
                )
            }
            None => writeln!(out, "{:10}  {more}", ""),
        }
    })
}

fn write_group(tree: &FileTree, group: &CopyGroup) -> Result<(), Refusal> {
    print::result(|out| {
        writeln!(
            out,
            "{:>10}  {} times the same",
            bytes(group.size),
            count(group.files.len() as u64)
        )?;
        for file in &group.files {
            writeln!(out, "{:10}  {}", "", tree.file_path(*file))?;
        }
        Ok(())
    })
}
