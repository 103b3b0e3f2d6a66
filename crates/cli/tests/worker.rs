//! Work goes on when its worker is killed or its database is restarted: nothing is lost, nothing doubled.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use upright_store::{
    Blobs, ClipState, CoupleInput, NewAccount, NewClip, NewTake, PersonInput, Practice, Store,
    StudioId, Wanted, Work, WorkKind, WorkState,
};
use upright_studio::{Performance, Phone, Scenario};
use uuid::Uuid;

/// A database cluster of this test's own, because it is restarted under way.
struct Cluster {
    folder: tempfile::TempDir,
    url: String,
}

/// Runs a line with the functions of scripts/postgres.sh.
fn shell(line: &str) -> String {
    let scripts = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../scripts/postgres.sh");
    let done = Command::new("bash")
        .arg("-euc")
        .arg(format!(". '{}'; {line}", scripts.display()))
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&done.stderr);
    assert!(done.status.success(), "{line}: {said}");
    String::from_utf8(done.stdout).unwrap().trim().to_owned()
}

impl Cluster {
    fn start() -> Self {
        let folder = tempfile::tempdir_in("/tmp").unwrap();
        let open = std::os::unix::fs::PermissionsExt::from_mode(0o755);
        std::fs::set_permissions(folder.path(), open).unwrap();
        let url = shell(&format!(
            "pg_start '{}' >/dev/null; echo \"$PG_URL\"",
            folder.path().join("pg").display()
        ));
        Self { folder, url }
    }

    /// As by a power cut, and up again after longer than a worker waits before it asks its queue anew.
    fn restart(&self) {
        let pg = self.folder.path().join("pg");
        let pg = pg.display();
        let ctl = format!("pg_as \"$pg_bin/pg_ctl\" -D '{pg}/data' -s -w");
        let quiet = ">/dev/null 2>&1 </dev/null";
        shell(&format!("{ctl} -m immediate stop {quiet}"));
        std::thread::sleep(Duration::from_secs(5));
        let port = self.url.rsplit(':').next().unwrap();
        let port = port.split('/').next().unwrap();
        let options =
            format!("-p {port} -c listen_addresses=127.0.0.1 -c unix_socket_directories=''");
        shell(&format!("{ctl} -o \"{options}\" start {quiet}"));
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        let pg = self.folder.path().join("pg");
        let scripts = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../scripts/postgres.sh");
        let line = format!(". '{}'; pg_stop '{}'", scripts.display(), pg.display());
        let _ = Command::new("bash").arg("-c").arg(line).status();
    }
}

/// The program's worker, killed at the end whatever happens.
struct Worker(Child);

impl Worker {
    fn start(cluster: &Cluster, data: &Path) -> Self {
        let child = Command::new(env!("CARGO_BIN_EXE_upright-pair"))
            .arg("worker")
            .env("DATABASE_URL", &cluster.url)
            .env("UPRIGHT_DATA", data)
            .env_remove("UPRIGHT_BLOBS")
            .stdout(Stdio::null())
            .spawn()
            .unwrap();
        Self(child)
    }

    /// As `kill -9` does.
    fn kill(&mut self) {
        self.0.kill().unwrap();
        self.0.wait().unwrap();
    }
}

impl Drop for Worker {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

fn scenario() -> Scenario {
    Scenario {
        repetitions: 2,
        phones: vec![Phone {
            size: [640, 360],
            fps: 25.0,
            ..Phone::default()
        }],
        ..Scenario::default()
    }
}

/// A simulated take whose clip waits to be rendered and prepared.
async fn ask(store: &Store, studio: StudioId, couple_id: Uuid) -> (Uuid, Work) {
    let new = NewTake {
        couple_id,
        held_on: jiff::civil::date(2026, 3, 7),
        place: "Hall".into(),
        floor: String::new(),
        shoes: String::new(),
    };
    let take = store.create_take(studio, &new).await.unwrap().id;
    let practice = Practice {
        scenario: serde_json::to_value(scenario()).unwrap(),
        marked: false,
    };
    store.add_practice(studio, take, &practice).await.unwrap();
    let clip = NewClip {
        angle: 1,
        offset_us: 0,
        state: ClipState::Preparing,
        file_name: "practice.mp4".into(),
        bytes: 0,
        original: None,
        size: [640, 360],
        frame_times: Vec::new(),
    };
    let clip = store.add_clip(studio, take, &clip).await.unwrap();
    let work = store
        .ask_work(studio, clip, WorkKind::Prepare, &Wanted::default())
        .await
        .unwrap();
    (take, work)
}

/// Waits until the work is as wanted; while the database is away nothing is known.
async fn until(
    store: &Store,
    studio: StudioId,
    take: Uuid,
    what: &str,
    wanted: impl Fn(&Work) -> bool,
) -> Work {
    for _ in 0..6_000 {
        if let Ok(all) = store.take_work(studio, take).await
            && let [(_, work)] = &all[..]
            && wanted(work)
        {
            return work.clone();
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("not {what}: {:?}", store.take_work(studio, take).await)
}

#[tokio::test]
async fn a_killed_worker_and_a_restarted_database_lose_and_double_nothing() {
    let cluster = Cluster::start();
    let store = Store::connect(&cluster.url).await.unwrap();
    let data = tempfile::tempdir().unwrap();
    let account = NewAccount {
        email: "coach@hall.example",
        name: "Coach",
        password_hash: "none",
    };
    let (studio, _) = store.create_studio("Hall", None, account).await.unwrap();
    let mut people = Vec::new();
    for name in ["Nell Ashby", "Ivo Marsh"] {
        let person = PersonInput {
            name: name.into(),
            height: 1.7,
            note: String::new(),
            consent: true,
        };
        people.push(store.create_person(studio, &person).await.unwrap().id);
    }
    let pair = CoupleInput {
        leader_id: people[0],
        follower_id: people[1],
        frame_limit: None,
    };
    let couple = store.create_couple(studio, &pair).await.unwrap().id;
    let under_way = |w: &Work| w.state == WorkState::Running && w.progress > 0.05;
    let done = |w: &Work| w.state != WorkState::Running && w.state != WorkState::Waiting;

    // Killed in the middle: another worker begins it anew.
    let mut first = Worker::start(&cluster, data.path());
    let (take, asked) = ask(&store, studio, couple).await;
    until(&store, studio, take, "under way", under_way).await;
    first.kill();
    let left = until(&store, studio, take, "left", |_| true).await;
    assert_eq!(left.state, WorkState::Running);
    let _second = Worker::start(&cluster, data.path());
    let end = until(&store, studio, take, "done", done).await;
    assert_eq!(
        (end.id, end.state, end.failure),
        (asked.id, WorkState::Done, None)
    );
    assert_eq!(end.attempts, 2);
    let mut takes = vec![take];

    // The database restarted in the middle: the same worker ends it.
    let (take, asked) = ask(&store, studio, couple).await;
    until(&store, studio, take, "under way", under_way).await;
    cluster.restart();
    let end = until(&store, studio, take, "done", done).await;
    assert_eq!(
        (end.id, end.state, end.failure),
        (asked.id, WorkState::Done, None)
    );
    takes.push(take);

    // And what comes after it is done as before.
    let (take, _) = ask(&store, studio, couple).await;
    let end = until(&store, studio, take, "done", done).await;
    assert_eq!((end.state, end.attempts), (WorkState::Done, 1));
    takes.push(take);

    let frames = Performance::new(&scenario()).unwrap().frame_times(0).len();
    let blobs = Blobs::in_folder(&data.path().join("blobs")).unwrap();
    for take in &takes {
        let clip = store.clip(studio, *take).await.unwrap().unwrap();
        assert_eq!(
            (clip.state, clip.frame_times.len()),
            (ClipState::Ready, frames)
        );
        assert!(blobs.has(&clip.proxy.unwrap()).await);
    }
    let in_folder = |of: &str| -> Vec<PathBuf> {
        let all = std::fs::read_dir(data.path().join("blobs").join(of)).unwrap();
        all.map(|e| e.unwrap().path()).collect()
    };
    assert_eq!(
        (in_folder("proxy").len(), in_folder("original").len()),
        (3, 3)
    );
}
