//! Real files of the kinds phones make, and some that are none.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::path::{Path, PathBuf};
use std::process::Command;

use upright_media::{Film, MediaError, encode, frame_times, make_proxy, probe};
use upright_studio::{Performance, Phone, Renderer, Scenario, soundtrack};

/// Makes a file by ffmpeg from a test picture of `seconds` at `rate`.
fn made(dir: &Path, name: &str, rate: &str, seconds: &str, args: &[&str]) -> PathBuf {
    let to = dir.join(name);
    let source = format!("testsrc2=size=640x360:rate={rate}:duration={seconds}");
    let done = Command::new("ffmpeg")
        .args(["-v", "error", "-y", "-f", "lavfi", "-i", &source])
        .args(args)
        .arg(&to)
        .output()
        .unwrap();
    assert!(
        done.status.success(),
        "{}",
        String::from_utf8_lossy(&done.stderr)
    );
    to
}

async fn proxy_of(path: &Path) -> (PathBuf, upright_media::Probe) {
    let p = probe(path).await.unwrap();
    let to = path.with_extension("proxy.mp4");
    let mut last = 0.0;
    make_proxy(path, &to, &p, |x| last = x).await.unwrap();
    assert!(last > 0.5, "progress ended at {last}");
    (to, p)
}

#[tokio::test]
async fn every_frame_keeps_its_moment_at_a_variable_rate() {
    let dir = tempfile::tempdir().unwrap();
    // Every seventh and eleventh frame is missing, as when a phone's rate sinks in the dark.
    let clip = made(
        dir.path(),
        "variable.mp4",
        "30",
        "4",
        &[
            "-vf",
            "select='mod(n,7)*mod(n,11)'",
            "-fps_mode",
            "vfr",
            "-c:v",
            "libx264",
            "-bf",
            "2",
        ],
    );
    let before = frame_times(&clip).await.unwrap();
    let (proxy, _) = proxy_of(&clip).await;
    let after = frame_times(&proxy).await.unwrap();
    assert_eq!(before.times.len(), after.times.len());
    assert!(before.times.len() > 80);
    let steps: std::collections::BTreeSet<i64> = after
        .times
        .windows(2)
        .map(|w| (w[1] - w[0]) / 10_000)
        .collect();
    assert!(steps.len() >= 2, "the rate is not variable: {steps:?}");
    for (a, b) in before.times.iter().zip(&after.times) {
        assert!((a - b).abs() <= 40, "{a} became {b}");
    }
}

#[tokio::test]
async fn phone_formats_are_read_and_turned_upright() {
    let dir = tempfile::tempdir().unwrap();
    let d = dir.path();
    let vp9 = made(
        d,
        "a.webm",
        "25",
        "1",
        &["-c:v", "libvpx-vp9", "-deadline", "realtime"],
    );
    let ten = made(
        d,
        "b.mov",
        "30000/1001",
        "1",
        &[
            "-c:v",
            "libx265",
            "-pix_fmt",
            "yuv420p10le",
            "-x265-params",
            "log-level=error",
        ],
    );
    let flat = made(d, "c.mp4", "50", "1", &["-c:v", "libx264"]);
    let turned = d.join("turned.mp4");
    let done = Command::new("ffmpeg")
        .args(["-v", "error", "-y", "-i"])
        .arg(&flat)
        .args(["-c", "copy", "-metadata:s:v:0", "rotate=90"])
        .arg(&turned)
        .output()
        .unwrap();
    assert!(done.status.success());
    for (clip, codec, size, frames) in [
        (&vp9, "vp9", (640, 360), 25),
        (&ten, "hevc", (640, 360), 30),
        (&turned, "h264", (360, 640), 50),
    ] {
        let (proxy, p) = proxy_of(clip).await;
        assert_eq!((p.codec.as_str(), (p.width, p.height)), (codec, size));
        let made = probe(&proxy).await.unwrap();
        assert_eq!((made.codec.as_str(), made.rotation), ("h264", 0));
        assert_eq!((made.width, made.height), size);
        assert_eq!(frame_times(&proxy).await.unwrap().times.len(), frames);
    }
}

#[tokio::test]
async fn a_large_picture_is_made_small_and_loses_its_metadata() {
    let dir = tempfile::tempdir().unwrap();
    let clip = made(
        dir.path(),
        "large.mp4",
        "25",
        "1",
        &[
            "-vf",
            "scale=1922:1082",
            "-c:v",
            "libx264",
            "-metadata",
            "location=+12.3456-065.4321/",
        ],
    );
    let (proxy, _) = proxy_of(&clip).await;
    let p = probe(&proxy).await.unwrap();
    assert_eq!((p.width, p.height), (1280, 720));
    let bytes = std::fs::read(&proxy).unwrap();
    assert!(!bytes.windows(8).any(|w| w == b"+12.3456"));
}

#[tokio::test]
async fn what_is_no_clip_is_refused_in_words() {
    let dir = tempfile::tempdir().unwrap();
    let d = dir.path();
    let file = |name: &str, bytes: &[u8]| {
        let to = d.join(name);
        std::fs::write(&to, bytes).unwrap();
        to
    };
    let whole = std::fs::read(made(d, "ok.mp4", "25", "2", &["-c:v", "libx264"])).unwrap();
    let secret = file("secret.txt", b"nobody must read this");
    let list = format!("ffconcat version 1.0\nfile '{}'\n", secret.display());
    for (name, bytes) in [
        ("empty.mp4", &b""[..]),
        ("text.mp4", &b"this is no video"[..]),
        ("cut.mp4", &whole[..600]),
        ("list.mp4", list.as_bytes()),
        (
            "play.mp4",
            &b"#EXTM3U\n#EXTINF:1,\nfile:///etc/passwd\n"[..],
        ),
        ("-i.mp4", &b"\0\0\0\x18ftypmp42"[..]),
    ] {
        let e = probe(&file(name, bytes)).await.unwrap_err();
        assert!(
            matches!(e, MediaError::NotAVideo | MediaError::NoPicture),
            "{name}: {e:?}"
        );
        assert!(e.to_string().len() > 20);
    }
    let short = made(d, "short.mp4", "25", "0.2", &["-c:v", "libx264"]);
    assert!(matches!(probe(&short).await, Err(MediaError::Length(_))));
    let tiny = made(
        d,
        "tiny.mp4",
        "25",
        "1",
        &["-vf", "scale=64:64", "-c:v", "libx264"],
    );
    assert!(matches!(probe(&tiny).await, Err(MediaError::Size(64, 64))));
    let sound = d.join("sound.m4a");
    let done = Command::new("ffmpeg")
        .args([
            "-v",
            "error",
            "-y",
            "-f",
            "lavfi",
            "-i",
            "sine=duration=2",
            "-c:a",
            "aac",
        ])
        .arg(&sound)
        .output()
        .unwrap();
    assert!(done.status.success());
    assert!(matches!(probe(&sound).await, Err(MediaError::NoPicture)));
}

#[tokio::test]
async fn a_simulated_take_becomes_a_clip_with_sound() {
    let dir = tempfile::tempdir().unwrap();
    let phone = Phone {
        size: [480, 270],
        fps: 25.0,
        ..Phone::default()
    };
    let uneven = Phone {
        size: [320, 180],
        fps: 30.0,
        uneven: 0.5,
        clock: 0.4,
        ..Phone::default()
    };
    let p = Performance::new(&Scenario {
        repetitions: 1,
        phones: vec![phone, uneven],
        ..Scenario::default()
    })
    .unwrap();
    let wav = dir.path().join("click.wav");
    for i in [0, 1] {
        let phone = p.phone(i);
        std::fs::write(&wav, soundtrack(&p, i)).unwrap();
        let to = dir.path().join(format!("take-{i}.mp4"));
        let film = Film {
            size: phone.size,
            fps: phone.fps,
            moments: phone.moments(),
        };
        let asked = p.frame_times(i);
        let times = asked.iter().map(|t| phone.danced(t.secs())).collect();
        let renderer = Renderer::new(&p, i).unwrap();
        encode(film, renderer.frames(times), Some(&wav), &to)
            .await
            .unwrap();
        let made = probe(&to).await.unwrap();
        assert!(made.sound);
        assert_eq!([made.width, made.height], phone.size);
        assert!((made.duration - phone.shown(p.length())).abs() < 0.1);
        // Every frame at its own moment, as far as the container's clock tells.
        let times = frame_times(&to).await.unwrap().times;
        assert!(times.len() + 2 >= asked.len() && times.len() <= asked.len());
        for (made, asked) in times.iter().zip(&asked) {
            assert!((made - asked.0).abs() <= 45, "{made} {asked:?}");
        }
    }
}
