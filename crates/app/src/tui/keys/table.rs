//! Every key of the program, in the order of the key line and the help: first those of a view alone.

use ratatui::crossterm::event::KeyCode;

use crate::tui::keys::{Action, Binding};
use crate::tui::model::Context;

/// Whether a row stands in the key line, or in the help alone.
const LINE: bool = true;
const HELP: bool = false;

/// Rows of the table: where it stands, in which contexts the keys count (in all stations where none is named), how the
/// key line writes them, what they do, and which key is which action.
macro_rules! keys {
    ($($shown:ident $($context:ident)*: $label:literal $says:literal
        $(, $key:ident $(($which:literal))? => $action:ident $(($with:literal))?)*;)+
    ) => {
        &[$(Binding {
            contexts: &[$(Context::$context),*],
            label: $label,
            says: $says,
            keys: &[$((KeyCode::$key $(($which))?, Action::$action $(($with))?)),*],
            is_main: $shown,
        }),+]
    };
}

/// Every key of the program.
pub(in crate::tui) const BINDINGS: &[Binding] = keys! {
    LINE Sites: "space" "keep, or let go", Char(' ') => Toggle;
    LINE Sites: "C" "cookies go or stay", Char('C') => TakeCookies;
    LINE Sites: "H" "history goes or stays", Char('H') => TakeHistory;
    LINE Sites: "W" "keep what is worth it", Char('W') => KeepSuggested;
    HELP Sites: "K" "keep on all computers", Char('K') => KeepEverywhere;
    LINE Sites: "enter" "its hosts", Enter => Enter, Right => Into, Left => OutOf;
    HELP Sites: "P" "one profile after the other, then all", Char('P') => Profile;
    LINE Programs: "space" "take or leave", Char(' ') => Toggle;
    LINE Programs: "enter" "its folders", Enter => Enter, Right => Into, Left => OutOf;
    LINE Programs: "A" "all, with parts of the system", Char('A') => Parts;
    LINE Programs: "L" "left behind", Char('L') => LeftBehind;
    HELP Programs: "B" "left behind: it belongs to a program that is there", Char('B') => Belongs;
    LINE Programs: "R" "remove the program", Char('R') => Uninstall;
    HELP Programs: "N" "needed by nothing: what came as a dependency", Char('N') => Unneeded;
    LINE Space: "enter" "into it", Enter => Enter, Right => Into;
    LINE Space: "←" "out of it", Left => OutOf, Backspace => OutOf;
    LINE Space: "o" "here, unused, downloads, grown", Char('o') => Order;
    LINE Space: "a" "make it a pile", Char('a') => Add;
    LINE Space: "T" "what is there twice", Char('T') => Copies;
    LINE Copies: "space" "which goes", Char(' ') => Toggle;
    LINE Copies: "o" "files, recordings, pictures", Char('o') => Order;
    HELP Copies: "M" "meant to be the same", Char('M') => MeantTheSame;
    LINE Copies: "enter" "its files", Enter => Enter, Right => Into, Left => OutOf;
    LINE Exclusions: "space" "suspend, or count again", Char(' ') => Toggle;
    LINE Exclusions: "enter" "change", Enter => Enter;
    LINE Exclusions: "del" "delete", Delete => Delete, Backspace => Delete;
    LINE Exclusions: "u" "undo", Char('u') => Undo;
    LINE Decided: "enter" "go back or forth to here", Enter => Enter;
    LINE Starts: "space" "start taken or left", Char(' ') => Toggle;
    LINE Starts: "[ ]" "age limit", Char('[') => Younger, Char(']') => Older;
    LINE Starts: "=" "exact age", Char('=') => ExactAge;
    LINE Starts: "del" "as built in", Delete => Delete, Backspace => Delete;
    LINE Rulebooks: "space" "turn off here, or on again", Char(' ') => Toggle;
    LINE Rulebooks: "E" "explain a path", Char('E') => Explain;
    HELP Rulebooks: "del" "remove a folder that was added", Delete => Delete, Backspace => Delete;
    LINE Exclusions Sites Programs Space Copies Decided Starts Rulebooks Dustpan Runs Startup: "esc" "back", Esc => Close;
    LINE Dustpan: "enter" "open or close", Enter => Enter;
    LINE Dustpan: "g" "get back", Char('g') => GetBack;
    LINE Dustpan: "del" "empty a run", Delete => Delete, Backspace => Delete;
    LINE Startup: "space" "off, or on again", Char(' ') => Toggle;
    LINE Startup: "u" "undo", Char('u') => Undo;
    LINE Arrive: "enter" "scan this one", Enter => Choose;
    LINE Arrive: "1 - 9" "go to a sign",
        Char('1') => Sign(0), Char('2') => Sign(1), Char('3') => Sign(2), Char('4') => Sign(3), Char('5') => Sign(4), Char('6') => Sign(5),
        Char('7') => Sign(6), Char('8') => Sign(7), Char('9') => Sign(8);
    LINE Arrive: "S" "what starts", Char('S') => Startup;
    LINE Arrive: "a" "add a folder", Char('a') => Add;
    LINE Arrive: "l" "look again", Char('l') => LookAgain;
    HELP Arrive: "F" "write over what is free, or a whole disk", Char('F') => Wipe;
    HELP Arrive: "del" "take a folder that was added off the list", Delete => Delete, Backspace => Delete;
    LINE Scan: "esc" "stop, keep what is there", Esc => Stop;
    LINE Inside: "enter" "open or close", Enter => Enter;
    LINE Ages: "[ ]" "age limit", Char('[') => Younger, Char(']') => Older;
    LINE Ages Inside: "space" "take or leave", Char(' ') => Toggle;
    LINE Ages: "enter" "look inside", Enter => Enter;
    LINE Ages: "tab" "check", Tab => Onward;
    LINE Ages Inside Space: "x" "exclude", Char('x') => Exclude;
    LINE Inside: "esc" "back", Esc => Close;
    LINE Ages: "=" "exact age", Char('=') => ExactAge;
    LINE Ages Inside Sites Programs Space Copies: "/" "find", Char('/') => Find;
    LINE Ages Inside Sites Programs Copies: "u" "undo", Char('u') => Undo;
    HELP Ages Inside Sites Programs Space Copies Check Exclusions Starts Rulebooks Dustpan: "n" "find the next one", Char('n') => FindNext;
    LINE Ages Inside Sites Programs: "o" "order", Char('o') => Order;
    LINE Ages: "v" "sites", Char('v') => Lens;
    LINE Inside: "[ ]" "age limit", Char('[') => Younger, Char(']') => Older;
    LINE Inside: "=" "exact age", Char('=') => ExactAge;
    HELP Inside: "tab" "check", Tab => Onward;
    HELP Ages Inside: "U" "do again what was undone", Char('U') => Redo;
    HELP Ages Inside: "{ }" "age limit of the whole class", Char('{') => ClassYounger, Char('}') => ClassOlder;
    HELP Ages Inside: "w" "the way it goes: set aside, for good, written over; of copies as a link", Char('w') => Way;
    HELP Ages: "y" "take only this pile, leave all others", Char('y') => OnlyThis;
    HELP Ages Inside: "z" "pack a file or folder, or rescue an unused home", Char('z') => Pack;
    HELP Inside: "G" "choose by language, in a pile of translations", Char('G') => Languages;
    LINE Space: "z" "pack", Char('z') => Pack;
    HELP Ages Inside: "X" "all exclusions", Char('X') => Exclusions;
    HELP Ages Inside: "d" "what was decided, to walk back to", Char('d') => Decided;
    HELP Ages: "s" "how this shop starts", Char('s') => Starts;
    HELP Ages: "a" "add a folder as a pile of its own", Char('a') => Add;
    HELP Ages: "enter" "on a class: fold it";
    HELP Ages: "[ ] = space" "on a class or its small piles: for all of them";
    LINE Sites: "v" "programs", Char('v') => Lens;
    LINE Programs: "v" "where the space is", Char('v') => Lens;
    HELP Ages: "T" "what is there twice", Char('T') => Copies;
    HELP Ages: "D" "where the disk's space is", Char('D') => Space;
    HELP Inside Space: "v" "back to the ages", Char('v') => Lens;
    HELP Inside: "← →" "out of a folder, into it", Left => OutOf, Right => Into;
    LINE Arrive: "b" "rulebooks", Char('b') => Rules;
    HELP Ages: "b" "rulebooks", Char('b') => Rules;
    HELP Arrive Ages Inside Check Exclusions Sites Programs Space Copies Decided Starts Rulebooks Dustpan Runs Startup: "↑ ↓" "move; also k and j",
        Up => Up, Char('k') => Up, Down => Down, Char('j') => Down;
    HELP Ages Inside Check Exclusions Sites Programs Space Copies Decided Starts Rulebooks Dustpan Runs: "pgup pgdn" "move by a screen",
        PageUp => PageUp, PageDown => PageDown;
    HELP Arrive Ages Inside Check Exclusions Sites Programs Space Copies Decided Starts Rulebooks Dustpan Runs Startup: "home, end" "first and last",
        Home => First, End => Last;
    LINE Check Word: "sweep" "type the word to start",
        Char('s') => Letter('s'), Char('w') => Letter('w'), Char('e') => Letter('e'), Char('p') => Letter('p');
    LINE Word: "backspace" "take a letter back", Backspace => EraseLetter;
    LINE Word: "esc" "don't start", Esc => DropWord;
    LINE Check: "r" "rehearse", Char('r') => Rehearse;
    LINE Check: "enter" "open or close", Enter => Enter;
    LINE Check Report: "esc" "back to weigh", BackTab => Back, Esc => Back;
    LINE Check: "f" "save the list", Char('f') => Save;
    HELP Check: "i" "chores that follow the sweep", Char('i') => Upkeep;
    LINE Check: "c" "ask a program to close", Char('c') => AskToClose;
    LINE Check: "l" "look again who runs", Char('l') => LookAgain;
    HELP Check Report: "m" "restore point: make one before the sweep, or let go of it afterwards", Char('m') => RestorePoint;
    LINE Sweep: "p" "pause, or go on", Char('p') => Pause;
    LINE Sweep: "esc" "stop", Esc => Stop;
    LINE Report: "t" "try again what stayed", Char('t') => Retry;
    LINE Arrive: "t" "try again", Char('t') => Retry;
    LINE Arrive Report: "g" "get things back", Char('g') => GetBack;
    LINE Arrive Report: "h" "earlier runs", Char('h') => History;
    HELP Ages: "h" "earlier runs", Char('h') => History;
    HELP Ages: "g" "get things back from the dustpan", Char('g') => GetBack;
    LINE Report Runs: "e" "export: page, table", Char('e') => Export;
    HELP Arrive: "e" "export the visits as a chart", Char('e') => Export;
    HELP Ages: "e" "export the piles by age as a picture", Char('e') => Export;
    LINE Space: "e" "export as a picture", Char('e') => Export;
    LINE Report: "enter" "weigh again", Enter => Enter;
    LINE Arrive Scan: "tab" "onward", Tab => Onward;
    LINE Scan: "l" "look again", Char('l') => LookAgain;
    LINE Scan: "shift-tab" "back to arrive", BackTab => Back;
    HELP Ages: "l" "look again: scan anew", Char('l') => LookAgain;
    HELP Ages Inside: "shift-tab" "back to the scan", BackTab => Back;
    HELP Ages Inside: "mouse" "click a band: age limit; the mark: take or leave; shift selects text";
    LINE Check Exclusions Starts Rulebooks Dustpan: "/" "find", Char('/') => Find;
    LINE: "?" "keys", Char('?') => Help, F(1) => Help;
    LINE Arrive Scan Ages Check Report: "q" "leave", Char('q') => Leave;
    HELP Inside Exclusions Sites Programs Space Copies Decided Starts Rulebooks Dustpan Runs Startup: "q" "leave the program",
        Char('q') => Leave;
};
