//! Writing over what is free, or a whole disk: choosing, the word, holding and stopping it.

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;

use crate::tui::model::{Model, Overlay, WipeStage, WipeView};
use crate::tui::msg::{Effect, FileWork, RunWork, WipeNews, WipeOrder};
use crate::tui::update::export;

/// Finds out what there is, for the computer in focus.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let Some(session) = model.looked_at() else {
        model.message = Some("It is not open yet.".to_owned());
        return Vec::new();
    };
    model.overlay = Some(Overlay::Wipe(Box::new(WipeView {
        stage: WipeStage::Looking,
        focus: 0,
    })));
    vec![Effect::Files(FileWork::LookToWipe(session))]
}

/// Takes in what became of it.
pub(super) fn hear(model: &mut Model, news: WipeNews) -> Vec<Effect> {
    let Some(Overlay::Wipe(view)) = &mut model.overlay else {
        return Vec::new();
    };
    match (news, &mut view.stage) {
        (WipeNews::Found(choices), WipeStage::Looking) => {
            // A whole disk is only ever walked to.
            view.focus = 0;
            view.stage = WipeStage::Choosing(choices, Input::default(), None);
        }
        (WipeNews::Reached(now), WipeStage::UnderWay { progress, .. }) => *progress = Some(now),
        (WipeNews::Ended(Ok(wiped)), _) => view.stage = WipeStage::Done(wiped),
        (WipeNews::Ended(Err(why)), _) => view.stage = WipeStage::Failed(why),
        (WipeNews::Found(_) | WipeNews::Reached(_), _) => {}
    }
    Vec::new()
}

pub(super) fn press(model: &mut Model, mut view: Box<WipeView>, key: KeyEvent) -> Vec<Effect> {
    let mut effects = Vec::new();
    match (&mut view.stage, key.code) {
        (
            WipeStage::UnderWay {
                is_held,
                is_stopping,
                ..
            },
            code,
        ) => effects.extend(hold_or_stop(code, is_held, is_stopping)),
        (WipeStage::Done(wiped), KeyCode::Char('e')) => {
            let run = wiped.run.clone();
            return export::certificate(model, run);
        }
        (_, KeyCode::Esc) | (WipeStage::Done(_) | WipeStage::Failed(_), KeyCode::Enter) => {
            return effects;
        }
        (WipeStage::Choosing(_, input, wrong), KeyCode::Up) => {
            view.focus = view.focus.saturating_sub(1);
            (*input, *wrong) = (Input::default(), None);
        }
        (WipeStage::Choosing(choices, input, wrong), KeyCode::Down) => {
            view.focus = (view.focus + 1).min(choices.len().saturating_sub(1));
            (*input, *wrong) = (Input::default(), None);
        }
        (WipeStage::Choosing(..), KeyCode::Enter) => effects = start(model, &mut view),
        (WipeStage::Choosing(_, input, wrong), _) => {
            input.handle_event(&Event::Key(key));
            *wrong = None;
        }
        _ => {}
    }
    model.overlay = Some(Overlay::Wipe(view));
    effects
}

fn hold_or_stop(code: KeyCode, is_held: &mut bool, is_stopping: &mut bool) -> Option<Effect> {
    let work = match code {
        KeyCode::Esc if !*is_stopping => {
            *is_stopping = true;
            RunWork::StopSweep
        }
        KeyCode::Char('p') if *is_held => {
            *is_held = false;
            RunWork::GoOn
        }
        KeyCode::Char('p') => {
            *is_held = true;
            RunWork::HoldSweep
        }
        _ => return None,
    };
    Some(Effect::Run(work))
}

/// Starts it, if its word was typed.
fn start(model: &mut Model, view: &mut WipeView) -> Vec<Effect> {
    let focus = view.focus;
    let WipeStage::Choosing(choices, input, wrong) = &mut view.stage else {
        return Vec::new();
    };
    let Some(choice) = choices.get(focus) else {
        return Vec::new();
    };
    let Some((subject, word)) = &choice.can else {
        *wrong = Some("this one can't be written over".to_owned());
        return Vec::new();
    };
    let session = model.looked_at();
    let Some(session) = session.filter(|_| input.value().trim() == word) else {
        *wrong = Some(format!("that is not {word}; nothing was written"));
        return Vec::new();
    };
    let order = WipeOrder {
        session,
        subject: subject.clone(),
    };
    view.stage = WipeStage::UnderWay {
        subject: choice.says.clone(),
        progress: None,
        is_held: false,
        is_stopping: false,
    };
    vec![Effect::Run(RunWork::Wipe(Box::new(order)))]
}
