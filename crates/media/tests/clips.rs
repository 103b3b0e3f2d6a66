//! Real files of the kinds phones make, and some that are none.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::path::{Path, PathBuf};
use std::process::Command;

use upright_media::{Film, encode, frame_times, make_proxy, probe};
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

/// The forms that phones record in: container and codec, with and without sound, turned, in ten bits.
#[tokio::test]
async fn phone_formats_are_read_and_turned_upright() {
    const TONE: &str = "-f lavfi -i sine=duration=1";
    let dir = tempfile::tempdir().unwrap();
    let d = dir.path();
    let forms = [
        ("a.mp4", "50", "-c:v libx264", "h264", 50),
        ("b.mov", "30", "-c:v libx264", "h264", 30),
        (
            "c.mp4",
            "30000/1001",
            "-c:v libx264 -pix_fmt yuv420p10le",
            "h264",
            30,
        ),
        (
            "d.mov",
            "30000/1001",
            "-c:v libx265 -tag:v hvc1 -x265-params log-level=error",
            "hevc",
            30,
        ),
        (
            "e.mp4",
            "60",
            "-c:v libx265 -pix_fmt yuv420p10le -x265-params log-level=error",
            "hevc",
            60,
        ),
        (
            "f.webm",
            "25",
            "-c:v libvpx-vp9 -deadline realtime -cpu-used 8",
            "vp9",
            25,
        ),
        (
            "g.mp4",
            "25",
            "-c:v libvpx-vp9 -deadline realtime -cpu-used 8",
            "vp9",
            25,
        ),
        (
            "h.webm",
            "25",
            "-c:v libaom-av1 -cpu-used 8 -usage realtime",
            "av1",
            25,
        ),
        (
            "i.mp4",
            "25",
            "-c:v libaom-av1 -cpu-used 8 -usage realtime",
            "av1",
            25,
        ),
        ("j.mkv", "25", "-c:v libx264", "h264", 25),
        ("k.3gp", "15", "-c:v libx264", "h264", 15),
        ("l.mov", "120", "-c:v libx264", "h264", 120),
    ];
    for (i, (name, rate, args, codec, frames)) in forms.iter().enumerate() {
        // Every other one has sound, every third is turned.
        let (sound, turn) = (i % 2 == 0, i % 3 == 0);
        let mut all: Vec<&str> = Vec::new();
        if sound {
            let tone = if name.ends_with("webm") {
                "libopus"
            } else {
                "aac"
            };
            all.extend(TONE.split(' '));
            all.extend(["-c:a", tone]);
        }
        all.extend(args.split(' '));
        let mut clip = made(d, name, rate, "1", &all);
        // How it is turned is a matter of MP4 and its kin.
        let turn = turn && !name.ends_with("webm") && !name.ends_with("mkv");
        if turn {
            let to = d.join(format!("turned {name}"));
            let done = Command::new("ffmpeg")
                .args(["-v", "error", "-y", "-i"])
                .arg(&clip)
                .args(["-c", "copy", "-metadata:s:v:0", "rotate=90"])
                .arg(&to)
                .output()
                .unwrap();
            assert!(done.status.success());
            clip = to;
        }
        let (proxy, p) = proxy_of(&clip).await;
        let size = if turn { (360, 640) } else { (640, 360) };
        assert_eq!(
            (p.codec.as_str(), (p.width, p.height)),
            (*codec, size),
            "{name}"
        );
        assert_eq!(p.sound, sound, "{name}");
        let made = probe(&proxy).await.unwrap();
        assert_eq!((made.codec.as_str(), made.rotation), ("h264", 0), "{name}");
        assert_eq!(
            ((made.width, made.height), made.sound),
            (size, sound),
            "{name}"
        );
        assert_eq!(
            frame_times(&proxy).await.unwrap().times.len(),
            *frames,
            "{name}"
        );
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
async fn the_focal_length_that_a_phone_wrote_is_read_before_it_is_stripped() {
    let dir = tempfile::tempdir().unwrap();
    let told = async |value: &str| {
        let tag = format!("com.apple.quicktime.camera.focal_length.35mm_equivalent={value}");
        let args = [
            "-c:v",
            "libx264",
            "-movflags",
            "use_metadata_tags",
            "-metadata",
            &tag,
        ];
        let clip = made(dir.path(), "told.mov", "25", "1", &args);
        let (proxy, p) = proxy_of(&clip).await;
        let kept = probe(&proxy).await.unwrap().full_frame_focal;
        assert_eq!(kept, None, "nothing of the file's own stays");
        p.full_frame_focal
    };
    assert_eq!(told("13").await, Some(13.0));
    assert_eq!(told("26.5").await, Some(26.5));
    // What no phone has is not believed, and neither is what is no number.
    for nonsense in ["0", "-26", "5000", "nan", "wide"] {
        assert_eq!(told(nonsense).await, None, "{nonsense}");
    }
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
