//! Threads that work for the interface, and the one channel they all report through.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::JoinHandle;
use std::time::Duration;

use crossbeam_channel::{Receiver, Sender, bounded};
use jolly_core::dustpan::is_dustpan_on_target;
use jolly_core::pile::Scan;
use jolly_core::plan::Manifest;
use jolly_core::run::{Pause, Rehearsed, left_over};
use jolly_core::{CancelToken, error_chain};
use ratatui::crossterm::event::{self, Event, KeyEventKind, MouseEventKind};

use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::runs::List;
use crate::session::{Session, clock};
use crate::surveys::SurveyFinds;
use crate::tui::lookups::{self, Source};
use crate::tui::model::Check;
use crate::tui::msg::{
    Effect, FileWork, Lookup, Msg, Opened, PackingNews, Question, RunWork, ScanJob, Scanned,
    SweepOrder, SweptRun, WipeNews,
};
use crate::tui::slots::{Kind, Slots};
use crate::tui::{answer, chores, command, keeping, packs, pans, wipes};

/// Messages that may wait; news beyond that is dropped, ends never are.
const WAITING: usize = 4096;

/// How often the keyboard's thread looks whether it is still wanted.
const LISTENING: Duration = Duration::from_millis(100);

/// The threads.
pub(super) struct Workers {
    options: Arc<SharedOptions>,
    source: Source,
    send: Sender<Msg>,
    receive: Receiver<Msg>,
    scan: CancelToken,
    sweep: CancelToken,
    pause: Pause,
    slots: Slots,
    /// Where what is typed to a command goes.
    typed: Option<Sender<Vec<u8>>>,
    /// What is to be remembered, done one after the other.
    keeper: Option<Sender<Box<dyn FnOnce() -> Msg + Send>>>,
    is_over: Arc<AtomicBool>,
    threads: Vec<JoinHandle<()>>,
}

impl Workers {
    pub(super) fn new(options: SharedOptions, source: Source) -> Self {
        let (send, receive) = bounded(WAITING);
        Self {
            options: Arc::new(options),
            source,
            send,
            receive,
            scan: CancelToken::default(),
            sweep: CancelToken::default(),
            pause: Pause::default(),
            slots: Slots::default(),
            typed: None,
            keeper: None,
            is_over: Arc::default(),
            threads: Vec::new(),
        }
    }

    /// Waits for the next message.
    pub(super) fn wait(&self, most: Duration) -> Option<Msg> {
        self.receive.recv_timeout(most).ok()
    }

    /// The messages that are there already.
    pub(super) fn queued(&self) -> Vec<Msg> {
        self.receive.try_iter().take(WAITING).collect()
    }

    /// Starts listening to the keyboard, and to the system's wish that the program ends: a closed
    /// window must not cut a sweep off in the middle, or leave a demo computer behind.
    pub(super) fn listen(&mut self) {
        let ended = self.send.clone();
        let is_heard = ctrlc::set_handler(move || drop(ended.send(Msg::Ended)));
        // Without it the system ends the program as it ends others.
        drop(is_heard);
        let (send, is_over) = (self.send.clone(), Arc::clone(&self.is_over));
        // Nobody waits for it: on a terminal that is gone, reading may never come back.
        drop(std::thread::spawn(move || {
            while !is_over.load(Ordering::Relaxed) {
                let read = match event::poll(LISTENING) {
                    Ok(false) => continue,
                    Ok(true) => event::read(),
                    Err(error) => Err(error),
                };
                let message = match read {
                    Ok(Event::Key(key)) if key.kind != KeyEventKind::Release => Msg::Key(key),
                    Ok(Event::Resize(columns, rows)) => Msg::Resized(columns, rows),
                    Ok(Event::Mouse(mouse)) if mouse.kind != MouseEventKind::Moved => {
                        Msg::Mouse(mouse)
                    }
                    Ok(Event::Paste(text)) => Msg::Pasted(text),
                    Ok(_) => Msg::Nothing,
                    // Nobody will press anything again.
                    Err(_) => Msg::Ended,
                };
                let is_last = matches!(message, Msg::Ended);
                if send.send(message).is_err() || is_last {
                    return;
                }
            }
        }));
    }

    /// Does what was asked for, on a thread of its own.
    pub(super) fn carry_out(&mut self, effect: Effect) {
        let options = Arc::clone(&self.options);
        match effect {
            Effect::Lookup(lookup) => self.look_about(lookup),
            Effect::Question(question) => self.ask(question),
            Effect::Files(FileWork::Pack(session, order)) => {
                let send = self.send.clone();
                let broken = PackingNews::Ended(Err("it broke off".to_owned()));
                self.work(Msg::Packing(broken), move || {
                    Msg::Packing(PackingNews::Ended(packs::pack(&session, &order, &send)))
                });
            }
            Effect::Files(work) => self.work(Msg::Nothing, move || pans::carry_out(work)),
            Effect::Run(work) => self.run(work),
            Effect::Keep(session, keeping) => {
                let kept = move || Msg::Kept(keeping::keep(&session, keeping));
                self.keep(Box::new(kept));
            }
            Effect::ChangePlaces(session, change) => self.keep(Box::new(move || {
                let changed = answer::change_places(&session, &options, &change);
                Msg::PlacesChanged(Box::new(changed))
            })),
            Effect::LetGo(large) => drop(std::thread::spawn(move || drop(large))),
        }
    }

    /// Goes a step of the road, or holds or stops one.
    fn run(&mut self, work: RunWork) {
        let send = self.send.clone();
        match work {
            RunWork::StopScan => self.scan.cancel(),
            RunWork::StopSweep => self.sweep.cancel(),
            RunWork::HoldSweep => self.pause.hold(),
            RunWork::GoOn => self.pause.go_on(),
            RunWork::Scan(job) => {
                self.scan = CancelToken::default();
                let cancel = self.scan.clone();
                // A scan only looks: on a disk that doesn't answer nobody waits for its end.
                let broken = Err("it broke off".to_owned());
                self.look_up(Msg::Scanned(job.job, broken), move || {
                    Msg::Scanned(job.job, scan(&job, &cancel, &send))
                });
            }
            RunWork::List(job, session, scan, decisions) => {
                self.work(Msg::Listed(job, None), move || {
                    let made = Check::of(&session, scan, &decisions);
                    Msg::Listed(job, Some(Box::new(made)))
                });
            }
            RunWork::Rehearse(job, session, scan, manifest) => {
                let broken = Msg::Rehearsed(job, Err("the rehearsal broke off".to_owned()));
                self.work(broken, move || {
                    Msg::Rehearsed(job, rehearse(&session, &scan, &manifest))
                });
            }
            RunWork::Type(bytes) => {
                // A command that has ended takes nothing in.
                drop(self.typed.as_ref().map(|typed| typed.send(bytes)));
            }
            RunWork::Command(job) => {
                let (typed, keys) = crossbeam_channel::unbounded();
                self.typed = Some(typed);
                let broken = Msg::CommandEnded(Err("it broke off".to_owned()));
                self.work(broken, move || {
                    Msg::CommandEnded(command::run(&job, &keys, &send))
                });
            }
            RunWork::Wipe(order) => {
                self.sweep = CancelToken::default();
                self.pause = Pause::default();
                let (cancel, pause) = (self.sweep.clone(), self.pause.clone());
                let broken = WipeNews::Ended(Err("it broke off".to_owned()));
                self.work(Msg::Wiping(broken), move || {
                    let wiped = wipes::carry_out(&order, (&cancel, &pause), &send);
                    Msg::Wiping(WipeNews::Ended(wiped))
                });
            }
            RunWork::Sweep(order) => {
                self.sweep = CancelToken::default();
                self.pause = Pause::default();
                let control = (self.sweep.clone(), self.pause.clone());
                let broken = Msg::Swept(Err(
                    "The sweep broke off; `jolly-broom log recover` settles its log.".to_owned(),
                ));
                self.work(broken, move || {
                    Msg::Swept(carry_out(&order, &control, &send))
                });
            }
        }
    }

    /// Looks about on the bench and on its computers.
    fn look_about(&mut self, lookup: Lookup) {
        let options = Arc::clone(&self.options);
        match lookup {
            Lookup::FindComputers => self.find_computers(),
            Lookup::OpenComputer => {
                let broken = Refusal {
                    exit: Exit::Failed,
                    message: "opening the computer broke off".to_owned(),
                };
                self.look_up(Msg::Opened(Box::new(Err(broken))), move || {
                    Msg::Opened(Box::new(open(&options)))
                });
            }
            Lookup::Arrive(root) => {
                let broken = Err("the look broke off".to_owned());
                self.look_up(Msg::Arrived(root.clone(), broken), move || {
                    let looked = lookups::arrive(&options, &root);
                    Msg::Arrived(root, looked)
                });
            }
            Lookup::Complete(text) => self.look_up(Msg::Nothing, move || {
                let folders = lookups::complete(&text);
                Msg::Completed(text, folders)
            }),
            Lookup::CompleteInside(session, text) => self.look_up(Msg::Nothing, move || {
                let folders = answer::complete_inside(&session, &text);
                Msg::Completed(text, folders)
            }),
            Lookup::Explain(session, text) => {
                let broken = Msg::Explained("it could not be looked up".to_owned(), None);
                self.look_up(broken, move || {
                    let (answer, rule) = lookups::explain_path(&session, &text);
                    Msg::Explained(answer, rule)
                });
            }
        }
    }

    /// Answers a question about what was scanned; a newer one of its kind takes its place.
    fn ask(&mut self, question: Question) {
        let (kind, broken) = match &question {
            Question::LookInside(ticket, ..) | Question::Arrange(ticket, ..) => {
                (Kind::Inside, Msg::LookedInside(*ticket, None))
            }
            Question::FindInside(ticket, _) => (Kind::Find, Msg::FoundInside(*ticket, None)),
            Question::LookForOthers(..) | Question::LookForHolders(..) => {
                (Kind::Others, Msg::Nothing)
            }
            Question::Reckon(ticket, ..) => {
                let why = "it could not be counted".to_owned();
                (Kind::Reckon, Msg::Reckoned(*ticket, Err(why)))
            }
            Question::Narrow(ticket, ..) => (Kind::Narrow, Msg::Narrowed(*ticket, None)),
            Question::LookAtSites(scan) => {
                let nothing = Msg::SitesRead(Arc::clone(scan), Arc::default());
                (Kind::Sites, nothing)
            }
            Question::LookAtPrograms(scan, _) => {
                let nothing = Msg::ProgramsRead(Arc::clone(scan), Arc::default());
                (Kind::Programs, nothing)
            }
            Question::Space(scan, asked) => {
                let (kind, nothing) = asked.kind();
                (kind, Msg::Space(Arc::clone(scan), nothing))
            }
            Question::AskManager(..) => {
                let why = ("it could not be asked".to_owned(), "");
                (Kind::Manager, Msg::ManagerAnswered(Err(why)))
            }
            Question::SpareSites(scan, _) => {
                let why = "it could not be counted".to_owned();
                (Kind::Spare, Msg::SitesSpared(Arc::clone(scan), Err(why)))
            }
            Question::AskToClose(job, program) => {
                let why = format!("{program} could not be asked.");
                (Kind::Close, Msg::Closed(*job, Err(why)))
            }
        };
        let cancel = self.slots.take(kind);
        let send = self.send.clone();
        self.look_up(broken, move || answer::answer(question, &cancel, &send));
    }

    /// Remembers something after whatever was to be remembered before; it is waited for at the end.
    fn keep(&mut self, keep: Box<dyn FnOnce() -> Msg + Send>) {
        let keeper = self.keeper.get_or_insert_with(|| {
            let (send, receive) = crossbeam_channel::unbounded::<Box<dyn FnOnce() -> Msg + Send>>();
            let tell = self.send.clone();
            self.threads.push(std::thread::spawn(move || {
                for keep in receive {
                    // Nobody listens any more once the interface is closed; it is kept all the same.
                    drop(tell.send(keep()));
                }
            }));
            send
        });
        // It listens as long as this end is there.
        drop(keeper.send(keep));
    }

    fn find_computers(&mut self) {
        let (source, options) = (self.source.clone(), Arc::clone(&self.options));
        let is_built = matches!(source, Source::Demo(_));
        let broken = Msg::Found(Vec::new(), Vec::new());
        let find = move || Msg::Found(source.find_computers(&options), source.unmounted());
        // What is built for the demo goes with the demo, so it is waited for.
        if is_built {
            self.work(broken, find);
        } else {
            self.look_up(broken, find);
        }
    }

    /// Looks something up on a thread that nobody waits for: a disk that doesn't answer must not
    /// keep the program from ending, and nothing is lost with the answer.
    fn look_up(&self, broken: Msg, look: impl FnOnce() -> Msg + Send + 'static) {
        drop(self.begin(broken, look));
    }

    /// Works on a thread that is waited for at the end.
    fn work(&mut self, broken: Msg, work: impl FnOnce() -> Msg + Send + 'static) {
        self.threads.retain(|thread| !thread.is_finished());
        let thread = self.begin(broken, work);
        self.threads.push(thread);
    }

    /// Begins a thread; its end is told whatever happens, by `broken` when it panics.
    fn begin(&self, broken: Msg, work: impl FnOnce() -> Msg + Send + 'static) -> JoinHandle<()> {
        let end = End {
            send: self.send.clone(),
            message: Some(broken),
        };
        std::thread::spawn(move || {
            let mut end = end;
            end.message = Some(work());
            drop(end);
        })
    }

    /// Asks all threads to end and waits for them; a sweep ends after the item under way, with a
    /// true log.
    pub(super) fn end(self) {
        self.scan.cancel();
        self.sweep.cancel();
        self.is_over.store(true, Ordering::Relaxed);
        drop(self.receive);
        drop(self.keeper);
        for thread in self.threads {
            // A thread that panicked has said so on its way.
            drop(thread.join());
        }
    }
}

/// Sends the last message of a thread when it goes, also when it panics.
struct End {
    send: Sender<Msg>,
    message: Option<Msg>,
}

impl Drop for End {
    fn drop(&mut self) {
        if let Some(message) = self.message.take() {
            // Nobody listens any more once the interface is closed.
            drop(self.send.send(message));
        }
    }
}

/// Opens the computer that the options name.
fn open(options: &SharedOptions) -> Result<Opened, Refusal> {
    let session = Session::of_options(options)?;
    // A scan must not see a run half settled.
    let notes = session.look_after();
    Ok(Opened {
        notes,
        selection: session.selection(options)?,
        // A volume that can't be measured is told by the scan.
        volume: session.target.measure().unwrap_or_default(),
        session,
    })
}

/// Scans, and decides as the rules recommend or as it was decided before.
pub(super) fn scan(
    job: &ScanJob,
    cancel: &CancelToken,
    news: &Sender<Msg>,
) -> Result<Box<Scanned>, String> {
    let before = job.before.as_deref();
    // Only the newest news counts: what doesn't fit is dropped.
    let (copies, is_new_choice) = &job.copies;
    let finds = SurveyFinds {
        leftovers: job.session.leftovers(cancel),
        copies: Arc::clone(copies),
    };
    let scan = job.session.scan((before, finds), cancel, &|event| {
        drop(news.try_send(Msg::Scanning(job.job, event)));
    });
    let unreadable = |error: &dyn std::error::Error| {
        let story = error_chain(error);
        let lines: Vec<&str> = story.lines().take(2).map(str::trim).collect();
        format!("what is excluded can't be read: {}", lines.join(" "))
    };
    let kept = job.session.files.read_exclusions();
    let kept = kept.map_err(|error| unreadable(&error))?;
    let scanned = Scanned::of(scan, &job.selection, &kept, job.decided.as_ref());
    let mut scanned = scanned.map_err(|error| unreadable(&error))?;
    if *is_new_choice {
        scanned.take_copies();
    }
    let Session {
        state,
        target,
        dustpan,
        ..
    } = &*job.session;
    scanned.is_dustpan_on_target = is_dustpan_on_target(state, target, dustpan.as_deref());
    match &job.only {
        Some(left) => scanned.take_only(left),
        None if job.decided.is_none() => scanned.take_up(&job.session.decided_before()),
        None => {}
    }
    Ok(Box::new(scanned))
}

pub(super) fn rehearse(
    session: &Session,
    scan: &Scan,
    manifest: &Manifest,
) -> Result<Box<Rehearsed>, String> {
    let confirmed = manifest.clone().confirm();
    let list = List {
        searches: &scan.searches,
        ..List::default()
    };
    let rehearsed = session.rehearse(&list, &confirmed, &|_| {});
    rehearsed.map(Box::new).map_err(|error| error_chain(&error))
}

pub(super) fn carry_out(
    order: &SweepOrder,
    (cancel, pause): &(CancelToken, Pause),
    send: &Sender<Msg>,
) -> Result<Box<SweptRun>, String> {
    let confirmed = (*order.manifest).clone().confirm();
    // Only the newest news counts: what doesn't fit is dropped.
    let sink = |event| drop(send.try_send(Msg::Sweeping(event)));
    let predictions = order.predictions.as_deref();
    let control = (cancel, pause);
    let list = List {
        searches: &order.scan.searches,
        makes_point: order.makes_point,
        ..List::default()
    };
    let swept = order
        .session
        .sweep(&list, &confirmed, predictions, control, &sink);
    let run = swept.map_err(|error| format!("Nothing was removed: {}.", error_chain(&error)))?;
    let (state, identity) = (&order.session.state, &order.session.identity);
    let chores = if run.summary.is_stopped {
        Vec::new()
    } else {
        chores::after(order, cancel, send)
    };
    Ok(Box::new(SweptRun {
        chores,
        left: left_over(state, identity).unwrap_or_default(),
        point: run.point,
        run: run.id,
        ended: order.session.now.unwrap_or_else(clock),
        summary: run.summary,
    }))
}
