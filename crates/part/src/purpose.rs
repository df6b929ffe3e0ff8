//! What a hole is probably for: thread (which), clearance (which screw), dowel or reamed fit, bearing seat, or just a hole; ranked, with reasons.
//!
//! A model seldom says. The diameter is looked up in the tables of standards; depth, end, counterbore and equals nearby then tell which of
//! the matches is likely. Every hit carries its terms and its source, so that a person can see why it stands first. Ranking weights are
//! common practice without a source; they order answers and decide nothing by themselves.

use crate::question::Choice;
use crate::{Feature, FeatureKind};
use reason::{Source, Sources, Term, len};
use shop::standards::{self, BEARINGS, DOWELS};

/// How near a model's diameter must be to a table's, mm.
const NEAR: f64 = 0.021;

/// Penalty where a hole goes on into another one, and a reason for it.
fn passage(h: &Hole, reasons: &mut Vec<String>) -> f64 {
    let meets = h.f.remarks.iter().any(|r| r.starts_with("breaks into a hollow"));
    if meets {
        reasons.push("but it meets another hole, as passages do".into());
        return 0.22;
    }
    0.0
}

struct Hole<'a> {
    d: f64,
    depth: f64,
    through: bool,
    point: bool,
    f: &'a Feature,
    equals: usize,
}

/// Ranked purposes of a hole; "plain" is always among them. `equals` is the number of equal holes on the part, itself included.
pub fn purposes(f: &Feature, equals: usize) -> Vec<Choice> {
    let Some(d) = f.dim("diameter") else { return Vec::new() };
    let h = Hole {
        d,
        depth: f.dim("depth").unwrap_or(0.0),
        through: f.ends == Some(crate::Ending::Through),
        point: f.dim("point angle").is_some(),
        f,
        equals,
    };
    let mut out = Vec::new();
    threads(&h, &mut out);
    clearances(&h, &mut out);
    dowels(&h, &mut out);
    bearings(&h, &mut out);
    out.sort_by(|a, b| b.score.total_cmp(&a.score).then(a.key.cmp(&b.key)));
    // One answer for each key: the best.
    let mut seen: Vec<String> = Vec::new();
    out.retain(|p| {
        let new = !seen.contains(&p.key);
        seen.push(p.key.clone());
        new
    });
    out.truncate(7);
    out.push(Choice {
        key: "plain".into(),
        words: format!("A plain hole Ø{}, as drawn", len(crate::feature::number(d))),
        score: 0.25,
        reasons: vec!["nothing needs more than a drill".into()],
        terms: vec![Term::new("D", "diameter in the model", d, "mm")],
        source: Source::derived("the model").into(),
    });
    // Stable: of equals the found ones stay before the plain hole.
    out.sort_by(|a, b| b.score.total_cmp(&a.score));
    out
}

fn threads(h: &Hole, out: &mut Vec<Choice>) {
    for t in standards::threads() {
        let drill = t.drills.iter().enumerate().find(|(_, x)| (*x - h.d).abs() < NEAR);
        let at_major = (t.major - h.d).abs() < NEAR / 2.0;
        let at_minor = (t.minor - h.d).abs() < NEAR / 2.0;
        let (drawn, base) = match (drill, at_minor, at_major) {
            (Some((0, _)), ..) => ("its tap drill", 0.62),
            (Some(_), ..) => ("one of its tap drills", 0.5),
            (None, true, _) => ("its minor diameter", 0.55),
            (None, false, true) => ("its major diameter", 0.3),
            _ => continue,
        };
        let mut score: f64 = base;
        let mut reasons = vec![format!("Ø{} is {drawn}", len(crate::feature::number(h.d)))];
        // A table's own number says more than one that is merely near.
        let off = match drawn {
            "its minor diameter" => (t.minor - h.d).abs(),
            "its major diameter" => (t.major - h.d).abs(),
            _ => drill.map_or(0.0, |(_, x)| (x - h.d).abs()),
        };
        score -= 8.0 * off;
        let metric = t.name.starts_with('M');
        let seldom = (metric && !USUAL.contains(&t.name.as_str()))
            || ["#1-", "#3-", "#5-", "#12-"].iter().any(|x| t.name.starts_with(x));
        if !t.common || seldom {
            score -= 0.25;
            reasons.push("a fine or seldom thread".into());
        }
        if !h.through {
            let turns = h.depth / t.major;
            if (0.8..=4.0).contains(&turns) {
                score += 0.18;
                reasons.push(format!("blind and {turns:.1} × its diameter deep, as tapped holes are"));
            }
            if h.point {
                score += 0.05;
                reasons.push("it ends on a drill point".into());
            }
        }
        if h.through && h.depth < 0.7 * t.major {
            score -= 0.3;
            reasons.push("but the wall is too thin for its turns".into());
        }
        score -= passage(h, &mut reasons);
        if h.f.dim("counterbore diameter").is_some() && h.through {
            score -= 0.25;
            reasons.push("but a counterbore speaks for a screw's head".into());
        }
        let chamfer = h.f.dim("countersink diameter").is_some_and(|c| c > t.major - 0.05 && c < 1.35 * t.major);
        if chamfer {
            score += 0.12;
            reasons.push("its mouth is chamfered to the thread's outside".into());
        }
        if h.f.dim("groove diameter").is_some_and(|g| g > t.major) {
            score += 0.15;
            reasons.push("a groove wider than the thread lets the tool run out".into());
        }
        let key = if drawn == "its major diameter" {
            format!("tap {} drawn at major", t.name)
        } else {
            format!("tap {}", t.name)
        };
        let drill_at = t.drills.first().copied().unwrap_or(t.major - t.pitch);
        let words = match drawn {
            "its major diameter" => format!(
                "Thread {}, drawn at its outside Ø{}: drill Ø{} and tap",
                t.name,
                len(crate::feature::number(t.major)),
                len(crate::feature::number(drill_at))
            ),
            _ => format!("Thread {}: drill Ø{} and tap", t.name, len(crate::feature::number(h.d))),
        };
        out.push(Choice {
            key,
            words,
            score: score.clamp(0.02, 0.98),
            reasons,
            terms: vec![
                Term::new("D", "nominal diameter", t.major, "mm"),
                Term::new("P", "pitch", t.pitch, "mm"),
                Term::new("D1", "minor diameter", t.minor, "mm"),
                Term::new("d", "tap drill", drill_at, "mm"),
                // Basis of handbooks in inch: 100 % is 3/4 of the sharp triangle's height on both sides.
                Term::new(
                    "%",
                    "thread left by the hole, on the basis 1.299 P",
                    100.0 * (t.major - h.d) / (1.299_038 * t.pitch),
                    "%",
                ),
            ],
            source: Sources::written(t.source),
        });
    }
}

fn clearances(h: &Hole, out: &mut Vec<Choice>) {
    for c in standards::clearances() {
        let Some((fit, d)) = c.holes.iter().find(|(_, d)| (d - h.d).abs() < NEAR) else { continue };
        let mut score: f64 = match *fit {
            "medium" => 0.52,
            "close" => 0.42,
            _ => 0.3,
        };
        score -= 8.0 * (d - h.d).abs();
        let mut reasons =
            vec![format!("Ø{} is the {fit} clearance hole of {}", len(crate::feature::number(*d)), c.screw)];
        if c.major > 17.0 {
            score -= 0.2;
            reasons.push("a large screw for a bench part".into());
        }
        if c.screw.starts_with('M') && !USUAL.contains(&c.screw.as_str()) {
            score -= 0.2;
            reasons.push("a seldom size".into());
        }
        if h.through {
            score += 0.12;
            reasons.push("it goes through".into());
        } else {
            score -= 0.3;
            reasons.push("but it is blind".into());
        }
        if h.equals >= 3 {
            score += 0.06;
            reasons.push(format!("there are {} alike", h.equals));
        }
        if let (Some(cb), Some(head)) =
            (h.f.dim("counterbore diameter"), standards::heads().iter().find(|x| x.screw == c.screw))
        {
            let usual = head.counterbore.is_some_and(|u| (u - cb).abs() < 0.06);
            if usual || (cb > head.diameter && cb < head.diameter * 1.25) {
                score += if usual { 0.25 } else { 0.18 };
                reasons.push(format!(
                    "the counterbore Ø{} takes its cap head Ø{}",
                    len(crate::feature::number(cb)),
                    len(head.diameter)
                ));
            } else if cb < head.diameter {
                score -= 0.2;
                reasons.push(format!("but its cap head Ø{} does not go into the counterbore", len(head.diameter)));
            }
        }
        if let Some(cs) = h.f.dim("countersink diameter").filter(|cs| *cs > 1.6 * c.major) {
            score += 0.15;
            reasons.push(format!("the countersink Ø{} takes a countersunk head", len(crate::feature::number(cs))));
        }
        out.push(Choice {
            key: format!("clear {} {fit}", c.screw),
            words: format!("Clearance for a screw {} ({fit})", c.screw),
            score: score.clamp(0.02, 0.98),
            reasons,
            terms: vec![
                Term::new("d", "screw", c.major, "mm"),
                Term::new("Dh", "clearance hole", *d, "mm"),
                Term::new("c", "play on diameter", h.d - c.major, "mm"),
            ],
            source: Sources::written(c.source),
        });
    }
}

/// Screws that shops have.
const USUAL: [&str; 15] =
    ["M1.6", "M2", "M2.5", "M3", "M4", "M5", "M6", "M8", "M10", "M12", "M14", "M16", "M20", "M24", "M30"];

fn dowels(h: &Hole, out: &mut Vec<Choice>) {
    let Some(d) = DOWELS.iter().find(|d| (*d - h.d).abs() < 0.004) else { return };
    let stepped =
        h.f.dim("counterbore diameter").is_some() || h.f.dim("countersink diameter").is_some_and(|c| c > 1.5 * d);
    let mut score = if stepped { 0.2 } else { 0.44 };
    let mut reasons = vec![format!("Ø{d} is the size of a dowel pin", d = len(d))];
    if h.equals == 2 {
        score += 0.12;
        reasons.push("there are two alike, as pins come".into());
    }
    if h.depth < 0.6 * d || h.depth > 5.0 * d {
        score -= 0.2;
        reasons.push("but no pin is held over this depth".into());
    }
    score -= passage(h, &mut reasons);
    let limits = standards::fit("H7", *d);
    let mut terms = vec![Term::new("D", "nominal", *d, "mm")];
    if let Some(l) = &limits {
        terms.push(Term::new("ES", "upper limit of H7", l.upper * 1000.0, "µm"));
        terms.push(Term::new("EI", "lower limit of H7", l.lower * 1000.0, "µm"));
    }
    out.push(Choice {
        key: format!("ream {d} H7"),
        words: format!("Reamed Ø{d} H7 for a dowel pin", d = len(d)),
        score,
        reasons,
        terms,
        source: Sources::from(Source::memory("sizes of ISO 8734", 95))
            .and(Source::cited("limits: ISO 286-2 as in the package pressfit 0.1.0")),
    });
}

fn bearings(h: &Hole, out: &mut Vec<Choice>) {
    // The seat may be the counterbore or the hole itself.
    let seats = [
        (h.f.dim("counterbore diameter"), h.f.dim("counterbore depth")),
        (Some(h.d), Some(h.depth)),
        (h.f.dim("back bore diameter"), h.f.dim("back bore depth")),
    ];
    for b in &BEARINGS {
        for (d, depth) in seats.iter().filter_map(|(d, w)| Some(((*d)?, (*w)?))) {
            if (d - b.size[1]).abs() > 0.006 {
                continue;
            }
            let fits = (depth - b.size[2]).abs() < 0.3;
            let mut reasons =
                vec![format!("Ø{} is the outside of a bearing {}", len(crate::feature::number(d)), b.name)];
            let mut score: f64 = 0.2;
            if fits {
                score += 0.55;
                reasons.push(format!("and it is as deep as the bearing is wide, {} mm", len(b.size[2])));
            }
            out.push(Choice {
                key: format!("seat {} H7", b.name),
                words: format!(
                    "Seat of a bearing {}: Ø{} H7, {} deep",
                    b.name,
                    len(b.size[1]),
                    len(crate::feature::number(depth))
                ),
                score,
                reasons,
                terms: vec![
                    Term::new("D", "bearing outside", b.size[1], "mm"),
                    Term::new("B", "bearing width", b.size[2], "mm"),
                    Term::new("t", "depth in the model", depth, "mm"),
                ],
                source: Source::memory("boundary dimensions of ISO 15", 95).into(),
            });
        }
    }
}

/// Is a feature a hole about which this can be asked?
pub fn asked_about(f: &Feature) -> bool {
    f.kind == FeatureKind::Hole && !f.what.starts_with("Centre") && f.dim("diameter").is_some_and(|d| d < 80.0)
}
