//! The keys of the views that stand before a station.

use ratatui::crossterm::event::KeyCode;

use crate::tui::keys::table::{main, more};
use crate::tui::keys::{Action, Binding};
use crate::tui::model::Context;

use Context::{
    Copies, Decided, Dustpan, Exclusions, Programs, Rulebooks, Runs, Sites, Space, Starts, Startup,
};
use KeyCode::{Backspace, Char, Delete, Enter, Esc, Left, Right};

/// Every key of a view alone.
pub(super) const BINDINGS: &[Binding] = &[
    main(
        &[Sites],
        "space",
        "keep, or let go",
        &[(Char(' '), Action::Toggle)],
    ),
    main(
        &[Sites],
        "C",
        "cookies go or stay",
        &[(Char('C'), Action::TakeCookies)],
    ),
    main(
        &[Sites],
        "H",
        "history goes or stays",
        &[(Char('H'), Action::TakeHistory)],
    ),
    main(
        &[Sites],
        "W",
        "keep what is worth it",
        &[(Char('W'), Action::KeepSuggested)],
    ),
    more(
        &[Sites],
        "K",
        "keep on all computers",
        &[(Char('K'), Action::KeepEverywhere)],
    ),
    main(
        &[Sites],
        "enter",
        "its hosts",
        &[
            (Enter, Action::Enter),
            (Right, Action::Into),
            (Left, Action::OutOf),
        ],
    ),
    more(
        &[Sites],
        "P",
        "one profile after the other, then all",
        &[(Char('P'), Action::Profile)],
    ),
    main(
        &[Programs],
        "space",
        "take or leave",
        &[(Char(' '), Action::Toggle)],
    ),
    main(
        &[Programs],
        "enter",
        "its folders",
        &[
            (Enter, Action::Enter),
            (Right, Action::Into),
            (Left, Action::OutOf),
        ],
    ),
    main(
        &[Programs],
        "A",
        "all, with parts of the system",
        &[(Char('A'), Action::Parts)],
    ),
    main(
        &[Programs],
        "L",
        "left behind",
        &[(Char('L'), Action::LeftBehind)],
    ),
    more(
        &[Programs],
        "B",
        "left behind: it belongs to a program that is there",
        &[(Char('B'), Action::Belongs)],
    ),
    main(
        &[Programs],
        "R",
        "remove the program",
        &[(Char('R'), Action::Uninstall)],
    ),
    more(
        &[Programs],
        "N",
        "needed by nothing: what came as a dependency",
        &[(Char('N'), Action::Unneeded)],
    ),
    main(
        &[Space],
        "enter",
        "into it",
        &[(Enter, Action::Enter), (Right, Action::Into)],
    ),
    main(
        &[Space],
        "←",
        "out of it",
        &[(Left, Action::OutOf), (Backspace, Action::OutOf)],
    ),
    main(
        &[Space],
        "o",
        "here, unused, downloads, grown",
        &[(Char('o'), Action::Order)],
    ),
    main(&[Space], "a", "make it a pile", &[(Char('a'), Action::Add)]),
    main(
        &[Space],
        "T",
        "what is there twice",
        &[(Char('T'), Action::Copies)],
    ),
    main(
        &[Copies],
        "space",
        "which goes",
        &[(Char(' '), Action::Toggle)],
    ),
    main(
        &[Copies],
        "o",
        "files, recordings, pictures",
        &[(Char('o'), Action::Order)],
    ),
    more(
        &[Copies],
        "M",
        "meant to be the same",
        &[(Char('M'), Action::MeantTheSame)],
    ),
    main(
        &[Copies],
        "enter",
        "its files",
        &[
            (Enter, Action::Enter),
            (Right, Action::Into),
            (Left, Action::OutOf),
        ],
    ),
    main(
        &[Exclusions],
        "space",
        "suspend, or count again",
        &[(Char(' '), Action::Toggle)],
    ),
    main(&[Exclusions], "enter", "change", &[(Enter, Action::Enter)]),
    main(
        &[Exclusions],
        "del",
        "delete",
        &[(Delete, Action::Delete), (Backspace, Action::Delete)],
    ),
    main(&[Exclusions], "u", "undo", &[(Char('u'), Action::Undo)]),
    main(
        &[Decided],
        "enter",
        "go back or forth to here",
        &[(Enter, Action::Enter)],
    ),
    main(
        &[Starts],
        "space",
        "start taken or left",
        &[(Char(' '), Action::Toggle)],
    ),
    main(
        &[Starts],
        "[ ]",
        "age limit",
        &[(Char('['), Action::Younger), (Char(']'), Action::Older)],
    ),
    main(
        &[Starts],
        "=",
        "exact age",
        &[(Char('='), Action::ExactAge)],
    ),
    main(
        &[Starts],
        "del",
        "as built in",
        &[(Delete, Action::Delete), (Backspace, Action::Delete)],
    ),
    main(
        &[Rulebooks],
        "space",
        "turn off here, or on again",
        &[(Char(' '), Action::Toggle)],
    ),
    main(
        &[Rulebooks],
        "E",
        "explain a path",
        &[(Char('E'), Action::Explain)],
    ),
    more(
        &[Rulebooks],
        "del",
        "remove a folder that was added",
        &[(Delete, Action::Delete), (Backspace, Action::Delete)],
    ),
    main(
        &[
            Exclusions, Sites, Programs, Space, Copies, Decided, Starts, Rulebooks, Dustpan, Runs,
            Startup,
        ],
        "esc",
        "back",
        &[(Esc, Action::Close)],
    ),
    main(
        &[Dustpan],
        "enter",
        "open or close",
        &[(Enter, Action::Enter)],
    ),
    main(&[Dustpan], "g", "get back", &[(Char('g'), Action::GetBack)]),
    main(
        &[Dustpan],
        "del",
        "empty a run",
        &[(Delete, Action::Delete), (Backspace, Action::Delete)],
    ),
    main(
        &[Startup],
        "space",
        "off, or on again",
        &[(Char(' '), Action::Toggle)],
    ),
    main(&[Startup], "u", "undo", &[(Char('u'), Action::Undo)]),
];
