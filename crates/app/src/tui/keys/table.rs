//! Every key of the program, in the order of the key line and the help: first those of a view alone, in `views`.

mod views;

use ratatui::crossterm::event::KeyCode;

use crate::tui::keys::{Action, Binding};
use crate::tui::model::Context;

const fn main(
    contexts: &'static [Context],
    label: &'static str,
    says: &'static str,
    keys: &'static [(KeyCode, Action)],
) -> Binding {
    Binding {
        contexts,
        label,
        says,
        keys,
        is_main: true,
    }
}

const fn more(
    contexts: &'static [Context],
    label: &'static str,
    says: &'static str,
    keys: &'static [(KeyCode, Action)],
) -> Binding {
    Binding {
        contexts,
        label,
        says,
        keys,
        is_main: false,
    }
}

use Context::{
    Ages, Arrive, Check, Copies, Decided, Dustpan, Exclusions, Inside, Programs, Report, Rulebooks,
    Runs, Scan, Sites, Space, Starts, Startup, Sweep, Word,
};
use KeyCode::{
    BackTab, Backspace, Char, Delete, Down, End, Enter, Esc, F, Home, Left, PageDown, PageUp,
    Right, Tab, Up,
};

/// Every key of the program.
pub(in crate::tui) fn bindings() -> impl Iterator<Item = &'static Binding> {
    views::BINDINGS.iter().chain(BINDINGS)
}

/// Those that count at stations, too.
const BINDINGS: &[Binding] = &[
    main(
        &[Arrive],
        "enter",
        "scan this one",
        &[(Enter, Action::Choose)],
    ),
    main(
        &[Arrive],
        "1 - 9",
        "go to a sign",
        &[
            (Char('1'), Action::Sign(0)),
            (Char('2'), Action::Sign(1)),
            (Char('3'), Action::Sign(2)),
            (Char('4'), Action::Sign(3)),
            (Char('5'), Action::Sign(4)),
            (Char('6'), Action::Sign(5)),
            (Char('7'), Action::Sign(6)),
            (Char('8'), Action::Sign(7)),
            (Char('9'), Action::Sign(8)),
        ],
    ),
    main(
        &[Arrive],
        "S",
        "what starts",
        &[(Char('S'), Action::Startup)],
    ),
    main(&[Arrive], "a", "add a folder", &[(Char('a'), Action::Add)]),
    main(
        &[Arrive],
        "l",
        "look again",
        &[(Char('l'), Action::LookAgain)],
    ),
    more(
        &[Arrive],
        "F",
        "write over what is free, or a whole disk",
        &[(Char('F'), Action::Wipe)],
    ),
    more(
        &[Arrive],
        "del",
        "take a folder that was added off the list",
        &[(Delete, Action::Delete), (Backspace, Action::Delete)],
    ),
    main(
        &[Scan],
        "esc",
        "stop, keep what is there",
        &[(Esc, Action::Stop)],
    ),
    main(
        &[Inside],
        "enter",
        "open or close",
        &[(Enter, Action::Enter)],
    ),
    main(
        &[Ages],
        "[ ]",
        "age limit",
        &[(Char('['), Action::Younger), (Char(']'), Action::Older)],
    ),
    main(
        &[Ages, Inside],
        "space",
        "take or leave",
        &[(Char(' '), Action::Toggle)],
    ),
    main(&[Ages], "enter", "look inside", &[(Enter, Action::Enter)]),
    main(&[Ages], "tab", "check", &[(Tab, Action::Onward)]),
    main(
        &[Ages, Inside, Space],
        "x",
        "exclude",
        &[(Char('x'), Action::Exclude)],
    ),
    main(&[Inside], "esc", "back", &[(Esc, Action::Close)]),
    main(&[Ages], "=", "exact age", &[(Char('='), Action::ExactAge)]),
    main(
        &[Ages, Inside, Sites, Programs, Space, Copies],
        "/",
        "find",
        &[(Char('/'), Action::Find)],
    ),
    main(
        &[Ages, Inside, Sites, Programs, Copies],
        "u",
        "undo",
        &[(Char('u'), Action::Undo)],
    ),
    more(
        &[
            Ages, Inside, Sites, Programs, Space, Copies, Check, Exclusions, Starts, Rulebooks,
            Dustpan,
        ],
        "n",
        "find the next one",
        &[(Char('n'), Action::FindNext)],
    ),
    main(
        &[Ages, Inside, Sites, Programs],
        "o",
        "order",
        &[(Char('o'), Action::Order)],
    ),
    main(&[Ages], "v", "sites", &[(Char('v'), Action::Lens)]),
    main(
        &[Inside],
        "[ ]",
        "age limit",
        &[(Char('['), Action::Younger), (Char(']'), Action::Older)],
    ),
    main(
        &[Inside],
        "=",
        "exact age",
        &[(Char('='), Action::ExactAge)],
    ),
    more(&[Inside], "tab", "check", &[(Tab, Action::Onward)]),
    more(
        &[Ages, Inside],
        "U",
        "do again what was undone",
        &[(Char('U'), Action::Redo)],
    ),
    more(
        &[Ages, Inside],
        "{ }",
        "age limit of the whole class",
        &[
            (Char('{'), Action::ClassYounger),
            (Char('}'), Action::ClassOlder),
        ],
    ),
    more(
        &[Ages, Inside],
        "w",
        "the way it goes: set aside, for good, written over; of copies as a link",
        &[(Char('w'), Action::Way)],
    ),
    more(
        &[Ages],
        "y",
        "take only this pile, leave all others",
        &[(Char('y'), Action::OnlyThis)],
    ),
    more(
        &[Ages, Inside],
        "z",
        "pack a file or folder, or rescue an unused home",
        &[(Char('z'), Action::Pack)],
    ),
    more(
        &[Inside],
        "G",
        "choose by language, in a pile of translations",
        &[(Char('G'), Action::Languages)],
    ),
    main(&[Space], "z", "pack", &[(Char('z'), Action::Pack)]),
    more(
        &[Ages, Inside],
        "X",
        "all exclusions",
        &[(Char('X'), Action::Exclusions)],
    ),
    more(
        &[Ages, Inside],
        "d",
        "what was decided, to walk back to",
        &[(Char('d'), Action::Decided)],
    ),
    more(
        &[Ages],
        "s",
        "how this shop starts",
        &[(Char('s'), Action::Starts)],
    ),
    more(
        &[Ages],
        "a",
        "add a folder as a pile of its own",
        &[(Char('a'), Action::Add)],
    ),
    more(&[Ages], "enter", "on a class: fold it", &[]),
    more(
        &[Ages],
        "[ ] = space",
        "on a class or its small piles: for all of them",
        &[],
    ),
    main(&[Sites], "v", "programs", &[(Char('v'), Action::Lens)]),
    main(
        &[Programs],
        "v",
        "where the space is",
        &[(Char('v'), Action::Lens)],
    ),
    more(
        &[Ages],
        "T",
        "what is there twice",
        &[(Char('T'), Action::Copies)],
    ),
    more(
        &[Ages],
        "D",
        "where the disk's space is",
        &[(Char('D'), Action::Space)],
    ),
    more(
        &[Inside, Space],
        "v",
        "back to the ages",
        &[(Char('v'), Action::Lens)],
    ),
    more(
        &[Inside],
        "← →",
        "out of a folder, into it",
        &[(Left, Action::OutOf), (Right, Action::Into)],
    ),
    main(&[Arrive], "b", "rulebooks", &[(Char('b'), Action::Rules)]),
    more(&[Ages], "b", "rulebooks", &[(Char('b'), Action::Rules)]),
    more(
        &[
            Arrive, Ages, Inside, Check, Exclusions, Sites, Programs, Space, Copies, Decided,
            Starts, Rulebooks, Dustpan, Runs, Startup,
        ],
        "↑ ↓",
        "move; also k and j",
        &[
            (Up, Action::Up),
            (Char('k'), Action::Up),
            (Down, Action::Down),
            (Char('j'), Action::Down),
        ],
    ),
    more(
        &[
            Ages, Inside, Check, Exclusions, Sites, Programs, Space, Copies, Decided, Starts,
            Rulebooks, Dustpan, Runs,
        ],
        "page up, page down",
        "move by a screen",
        &[(PageUp, Action::PageUp), (PageDown, Action::PageDown)],
    ),
    more(
        &[
            Arrive, Ages, Inside, Check, Exclusions, Sites, Programs, Space, Copies, Decided,
            Starts, Rulebooks, Dustpan, Runs, Startup,
        ],
        "home, end",
        "first and last",
        &[(Home, Action::First), (End, Action::Last)],
    ),
    main(
        &[Check, Word],
        "sweep",
        "type the word to start",
        &[
            (Char('s'), Action::Letter('s')),
            (Char('w'), Action::Letter('w')),
            (Char('e'), Action::Letter('e')),
            (Char('p'), Action::Letter('p')),
        ],
    ),
    main(
        &[Word],
        "backspace",
        "take a letter back",
        &[(Backspace, Action::EraseLetter)],
    ),
    main(&[Word], "esc", "don't start", &[(Esc, Action::DropWord)]),
    main(&[Check], "r", "rehearse", &[(Char('r'), Action::Rehearse)]),
    main(
        &[Check],
        "enter",
        "open or close",
        &[(Enter, Action::Enter)],
    ),
    main(
        &[Check, Report],
        "esc",
        "back to weigh",
        &[(BackTab, Action::Back), (Esc, Action::Back)],
    ),
    main(&[Check], "f", "save the list", &[(Char('f'), Action::Save)]),
    more(
        &[Check],
        "i",
        "chores that follow the sweep",
        &[(Char('i'), Action::Upkeep)],
    ),
    main(
        &[Check],
        "c",
        "ask a program to close",
        &[(Char('c'), Action::AskToClose)],
    ),
    main(
        &[Check],
        "l",
        "look again who runs",
        &[(Char('l'), Action::LookAgain)],
    ),
    more(
        &[Check, Report],
        "m",
        "restore point: make one before the sweep, or let go of it afterwards",
        &[(Char('m'), Action::RestorePoint)],
    ),
    main(
        &[Sweep],
        "p",
        "pause, or go on",
        &[(Char('p'), Action::Pause)],
    ),
    main(&[Sweep], "esc", "stop", &[(Esc, Action::Stop)]),
    main(
        &[Report],
        "t",
        "try again what stayed",
        &[(Char('t'), Action::Retry)],
    ),
    main(&[Arrive], "t", "try again", &[(Char('t'), Action::Retry)]),
    main(
        &[Arrive, Report],
        "g",
        "get things back",
        &[(Char('g'), Action::GetBack)],
    ),
    main(
        &[Arrive, Report],
        "h",
        "earlier runs",
        &[(Char('h'), Action::History)],
    ),
    more(
        &[Ages],
        "h",
        "earlier runs",
        &[(Char('h'), Action::History)],
    ),
    more(
        &[Ages],
        "g",
        "get things back from the dustpan",
        &[(Char('g'), Action::GetBack)],
    ),
    main(
        &[Report, Runs],
        "e",
        "export: page, table",
        &[(Char('e'), Action::Export)],
    ),
    more(
        &[Arrive],
        "e",
        "export the visits as a chart",
        &[(Char('e'), Action::Export)],
    ),
    more(
        &[Ages],
        "e",
        "export the piles by age as a picture",
        &[(Char('e'), Action::Export)],
    ),
    main(
        &[Space],
        "e",
        "export as a picture",
        &[(Char('e'), Action::Export)],
    ),
    main(&[Report], "enter", "weigh again", &[(Enter, Action::Enter)]),
    main(&[Arrive, Scan], "tab", "onward", &[(Tab, Action::Onward)]),
    main(
        &[Scan],
        "l",
        "look again",
        &[(Char('l'), Action::LookAgain)],
    ),
    main(
        &[Scan],
        "shift-tab",
        "back to arrive",
        &[(BackTab, Action::Back)],
    ),
    more(
        &[Ages],
        "l",
        "look again: scan anew",
        &[(Char('l'), Action::LookAgain)],
    ),
    more(
        &[Ages, Inside],
        "shift-tab",
        "back to the scan",
        &[(BackTab, Action::Back)],
    ),
    more(
        &[Ages, Inside],
        "mouse",
        "click a band: age limit; the mark: take or leave; shift selects text",
        &[],
    ),
    main(
        &[Check, Exclusions, Starts, Rulebooks, Dustpan],
        "/",
        "find",
        &[(Char('/'), Action::Find)],
    ),
    main(
        &[],
        "?",
        "keys",
        &[(Char('?'), Action::Help), (F(1), Action::Help)],
    ),
    main(
        &[Arrive, Scan, Ages, Check, Report],
        "q",
        "leave",
        &[(Char('q'), Action::Leave)],
    ),
    more(
        &[
            Inside, Exclusions, Sites, Programs, Space, Copies, Decided, Starts, Rulebooks,
            Dustpan, Runs, Startup,
        ],
        "q",
        "leave the program",
        &[(Char('q'), Action::Leave)],
    ),
];
