//! `sheet`: job sheets and their visits.

use std::collections::BTreeSet;
use std::path::Path;

use jolly_core::format::Printable;
use jolly_core::report::LittleFree;
use jolly_core::rule::Class;
use jolly_core::state::{Allowance, Sheet, SheetStore, Visit, export_sheet, read_sheets};
use serde_json::json;

use crate::books::config_folder;
use crate::cli::{SheetCommand, print, report};
use crate::exit::{Exit, Refusal};
use crate::handover::{VisitsChart, draw_regrowth};
use crate::new_file::{Existing, Readers, write_file};
use crate::options::SharedOptions;
use crate::session::open_state;
use crate::shop::{SHOP_ADVICE, Shop};
use crate::visits::{no_sheets, refuse_sheets};
use crate::wording::{age, bytes, counted};

pub(super) fn run(options: &SharedOptions, command: &SheetCommand) -> Result<Exit, Refusal> {
    let state = open_state(options)?;
    if let SheetCommand::Import { files } = command {
        let mut store = SheetStore::open(&state).map_err(|error| refuse_sheets(&error))?;
        return import(&mut store, files);
    }
    let store = SheetStore::open_existing(&state).map_err(|error| refuse_sheets(&error))?;
    let Some(mut store) = store else {
        if matches!(command, SheetCommand::List) {
            if !options.json {
                print::message(&no_sheets().message);
            }
            return Ok(Exit::Done);
        }
        return Err(no_sheets());
    };
    match command {
        SheetCommand::List => list(options, &store),
        SheetCommand::Show { sheet, picture } => {
            let wanted = report::picture(picture)?;
            let sheet = find(&store, sheet)?;
            if let Some(wanted) = wanted {
                let chart = VisitsChart::of_sheet(&sheet, little(options)?);
                let drawn = draw_regrowth(&sheet, &chart);
                let drawn = drawn.map_err(|error| report::refuse(&error))?;
                report::write_picture(&drawn, wanted, picture)?;
            }
            show(options, &sheet)
        }
        SheetCommand::Name { sheet, name, note } => {
            let sheet = find(&store, sheet)?;
            let note = note.as_deref();
            store
                .set_name(&sheet.sheet, name.trim(), note)
                .map_err(|error| refuse_sheets(&error))?;
            Ok(Exit::Done)
        }
        SheetCommand::Allow {
            sheet,
            below,
            at_most,
            minutes,
        } => {
            let sheet = find(&store, sheet)?;
            let limits = Allowance {
                below: *below,
                at_most: at_most.map(|size| size.as_u64()),
                minutes: *minutes,
                ..Allowance::default()
            };
            let allowed = allowance(options, &limits)?;
            store
                .allow(&sheet.sheet, allowed.as_ref())
                .map_err(|error| refuse_sheets(&error))?;
            Ok(Exit::Done)
        }
        SheetCommand::Export { sheet, out } => {
            let sheet = export_sheet(&find(&store, sheet)?);
            match out {
                Some(file) => write(file, &sheet)?,
                None => print::json(&sheet)?,
            }
            Ok(Exit::Done)
        }
        SheetCommand::Import { .. } => Ok(Exit::Done),
    }
}

/// From where on what is free is little, as the shop says.
fn little(options: &SharedOptions) -> Result<LittleFree, Refusal> {
    let config = config_folder(options.config.as_deref());
    let shop = Shop::read(config.as_deref());
    let shop = shop.map_err(|error| Refusal::bad_input(&error, SHOP_ADVICE))?;
    Ok(shop.little())
}

pub(super) fn find(store: &SheetStore, id: &str) -> Result<Sheet, Refusal> {
    store.find(id).map_err(|error| refuse_sheets(&error))
}

/// What `--class` and the limits allow; nothing for the word `none`.
fn allowance(options: &SharedOptions, limits: &Allowance) -> Result<Option<Allowance>, Refusal> {
    let refuse = |message: &str| Refusal {
        exit: Exit::BadInput,
        message: message.to_owned(),
    };
    if options.class.is_empty() {
        return Err(refuse(
            "no class is named\n  such as --class spent,regrows; --class none allows nothing any more",
        ));
    }
    if options.class.iter().any(|name| name == "none") {
        return Ok(None);
    }
    let mut classes = BTreeSet::new();
    for name in &options.class {
        match Class::by_name(name) {
            Some(Class::Ask) => {
                return Err(refuse(
                    "what may be somebody's own never goes without a person\n  the classes that may are: spent, regrows, felt",
                ));
            }
            Some(class) => drop(classes.insert(class.name().to_owned())),
            None => {
                let name = Printable(name.as_bytes());
                return Err(refuse(&format!(
                    "no class is called \"{name}\"\n  the classes that may be allowed are: spent, regrows, felt"
                )));
            }
        }
    }
    Ok(Some(Allowance {
        classes,
        ..limits.clone()
    }))
}

fn list(options: &SharedOptions, store: &SheetStore) -> Result<Exit, Refusal> {
    let sheets = store.all().map_err(|error| refuse_sheets(&error))?;
    for sheet in &sheets {
        let last = sheet.last_visit();
        if options.json {
            print::json(&json!({
                "sheet": sheet.sheet,
                "name": sheet.name,
                "note": sheet.note,
                "label": sheet.label,
                "layout": sheet.layout.name(),
                "root": sheet.root,
                "visits": sheet.visits.len(),
                "last_visit": last.map(|visit| visit.started),
                "free": last.map(Visit::free_after),
                "size": last.map(|visit| visit.size),
            }))?;
            continue;
        }
        let visits = counted(sheet.visits.len() as u64, "visit");
        let last = last.map_or_else(String::new, |visit| {
            let day = visit.started.strftime("%Y-%m-%d");
            format!("last {day}, {} free then", bytes(visit.free_after()))
        });
        print::result(|out| {
            let name = Printable(sheet.shown_name().as_bytes()).to_string();
            let layout = sheet.layout.name();
            writeln!(
                out,
                "{}  {name:<36} {layout:<8} {visits:>10}  {last}",
                sheet.sheet
            )
        })?;
    }
    Ok(Exit::Done)
}

fn show(options: &SharedOptions, sheet: &Sheet) -> Result<Exit, Refusal> {
    if options.json {
        print::json(&export_sheet(sheet))?;
        return Ok(Exit::Done);
    }
    let text = |text: &str| Printable(text.as_bytes()).to_string();
    print::result(|out| {
        writeln!(
            out,
            "{} · {} · {}",
            text(sheet.shown_name()),
            text(&sheet.label),
            sheet.layout.name()
        )?;
        if !sheet.note.is_empty() {
            writeln!(out, "note    {}", text(&sheet.note))?;
        }
        if let Some(allowed) = &sheet.allowed {
            let classes: Vec<&str> = allowed.classes.iter().map(String::as_str).collect();
            let below = allowed.below.map(|below| format!(", below {below} % free"));
            let most = allowed
                .at_most
                .map(|most| format!(", at most {}", bytes(most)));
            let minutes = allowed.minutes.map(|minutes| format!(", {minutes} min"));
            writeln!(
                out,
                "allowed {}{}{}{}",
                classes.join(", "),
                below.unwrap_or_default(),
                most.unwrap_or_default(),
                minutes.unwrap_or_default()
            )?;
        }
        for rule in &sheet.rules_off {
            writeln!(out, "off     {}", text(rule))?;
        }
        for visit in &sheet.visits {
            let day = visit.started.strftime("%Y-%m-%d %H:%M");
            let (free, after) = (bytes(visit.free), bytes(visit.free_after()));
            let (found, swept) = (bytes(visit.found()), bytes(visit.swept()));
            let took = age(visit.seconds);
            writeln!(
                out,
                "{day}  free {free:>10} → {after:>10}  found {found:>10}  swept {swept:>10}  {took}"
            )?;
            for sign in &visit.signs {
                writeln!(out, "            {}", text(&sign.says))?;
            }
        }
        Ok(())
    })?;
    Ok(Exit::Done)
}

/// Writes a new file; one that is there stays.
pub(super) fn write(file: &Path, sheet: &serde_json::Value) -> Result<(), Refusal> {
    let refuse = |error: std::io::Error| {
        let what = std::io::Error::other(format!("cannot write {}: {error}", file.display()));
        Refusal::failed(&what, "name a new file in a folder that can be written")
    };
    let access = (Existing::Stays, Readers::Others);
    let written = write_file(file, access, &mut |out| {
        serde_json::to_writer(&mut *out, sheet)?;
        out.write_all(b"\n")
    });
    written.map_err(refuse)
}

/// Takes in what other benches wrote: all files, or none.
fn import(store: &mut SheetStore, files: &[std::path::PathBuf]) -> Result<Exit, Refusal> {
    let mut sheets = Vec::new();
    for file in files {
        let bad = |why: String| Refusal {
            exit: Exit::BadInput,
            message: format!("{} can't be taken in: {why}\n  nothing was", file.display()),
        };
        sheets.extend(read_sheets(file).map_err(|error| bad(error.to_string()))?);
    }
    let many = store
        .take_in(&sheets)
        .map_err(|error| refuse_sheets(&error))?;
    let (sheets, visits) = (
        counted(sheets.len() as u64, "job sheet"),
        counted(many, "new visit"),
    );
    print::message(&format!("{sheets} taken in, {visits}"));
    Ok(Exit::Done)
}
