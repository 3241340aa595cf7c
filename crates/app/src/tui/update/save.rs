//! Writing something to a file that is named.

use std::path::PathBuf;
use std::sync::Arc;

use jolly_core::report::Form;
use tui_input::Input;

use crate::tui::lookups::shown;
use crate::tui::model::{Model, Overlay, Saves};
use crate::tui::msg::{Effect, FileWork};

/// Asks for the file's name, and offers one.
pub(super) fn ask(model: &mut Model, saves: Saves) {
    let letter = |letter: char| {
        if letter.is_alphanumeric() {
            letter
        } else {
            '-'
        }
    };
    let label: String = model.facts.label.chars().map(letter).collect();
    let label = label.trim_matches('-').to_lowercase();
    let name = match (saves, &model.report) {
        (Saves::List, _) => format!("sweep-{label}.plan.jsonl"),
        (Saves::Report, Some(report)) => format!("{label}-{}.csv", report.run),
        (Saves::Report, None) => return,
    };
    model.overlay = Some(Overlay::Save(saves, Input::new(name), None));
}

/// Has it written to the file that was named.
pub(super) fn save(model: &mut Model, saves: Saves, input: Input) -> Vec<Effect> {
    let path = PathBuf::from(input.value().trim());
    let wrong = if path.as_os_str().is_empty() {
        Some("name a file")
    } else if saves == Saves::Report && Form::of(&path).is_none() {
        Some("its name must end with .csv or .json")
    } else {
        None
    };
    if let Some(wrong) = wrong {
        model.overlay = Some(Overlay::Save(saves, input, Some(wrong.to_owned())));
        return Vec::new();
    }
    match saves {
        Saves::List => {
            let check = model.check.as_ref();
            let Some(manifest) = check.and_then(|check| check.manifest.clone()) else {
                model.message = Some("The list is still being made.".to_owned());
                return Vec::new();
            };
            vec![Effect::Files(FileWork::SaveList(manifest, path))]
        }
        Saves::Report => {
            let (Some(session), Some(report)) = (&model.session, &model.report) else {
                return Vec::new();
            };
            vec![Effect::Files(FileWork::SaveReport(
                Arc::clone(session),
                report.run.clone(),
                path,
            ))]
        }
    }
}

/// Says that it was written, or why not.
pub(super) fn saved(model: &mut Model, saves: Saves, result: Result<PathBuf, String>) {
    model.message = Some(match (saves, result) {
        (Saves::List, Ok(path)) => format!(
            "Saved. `jolly-broom sweep --plan {}` carries out exactly this list.",
            shown(&path)
        ),
        (Saves::Report, Ok(path)) => format!("Saved as {}.", shown(&path)),
        (_, Err(why)) => why,
    });
}
