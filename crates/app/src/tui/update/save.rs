//! Writing the list of the check to a file that is named.

use std::path::PathBuf;

use tui_input::Input;

use crate::tui::lookups::shown;
use crate::tui::model::{Model, Overlay};
use crate::tui::msg::{Effect, FileWork};
use crate::tui::update::file_label;

/// Asks for the file's name, and offers one.
pub(super) fn ask(model: &mut Model) {
    let name = format!("sweep-{}.plan.jsonl", file_label(&model.facts.label));
    model.overlay = Some(Overlay::Save(Input::new(name), None));
}

/// Has it written to the file that was named.
pub(super) fn save(model: &mut Model, input: Input) -> Vec<Effect> {
    let path = PathBuf::from(input.value().trim());
    if path.as_os_str().is_empty() {
        model.overlay = Some(Overlay::Save(input, Some("name a file".to_owned())));
        return Vec::new();
    }
    let check = model.check.as_ref();
    let Some(manifest) = check.and_then(|check| check.manifest.clone()) else {
        model.message = Some("The list is still being made.".to_owned());
        return Vec::new();
    };
    vec![Effect::Files(FileWork::SaveList(manifest, path))]
}

/// Says that it was written, or why not.
pub(super) fn saved(model: &mut Model, result: Result<PathBuf, String>) {
    model.message = Some(match result {
        Ok(path) => format!(
            "Saved. `jolly-broom sweep --plan {}` carries out exactly this list.",
            shown(&path)
        ),
        Err(why) => why,
    });
}
