//! Answers to questions about a part, as text under the question's id: what they mean, and which make no sense.
//!
//! | question | answers |
//! |---|---|
//! | `unit` | what the file's numbers are in: `mm`, `inch`, `cm`, `m`, `foot` |
//! | `solid` | number of the solid in the file, from 0 |
//! | `stays/NUMBER` | `yes` if that solid of the file stands where it is drawn while the part is machined |
//! | `closed` | `yes` if what closes the file's open surfaces is right, else `no` |
//! | `thickness` | of a drawn plate, mm |
//! | `layer/NAME` | `through`, `ignore`, or `pocket:DEPTH` in mm |
//! | `hand/FINDING` | `yes` if what that finding names is left for the hand |
//! | `hole/…` and others | a choice's key, as the question lists them |

use crate::Made;
use intake::{LayerUse, LengthUnit, Reading};
use reason::{Kind, len};
use std::collections::BTreeMap;

fn number(text: &str, least: f64, most: f64) -> Option<f64> {
    text.trim().parse().ok().filter(|v| (least..=most).contains(v))
}

fn layer_use(text: &str) -> Option<LayerUse> {
    match text.split_once(':') {
        Some(("pocket", depth)) => number(depth, 0.001, 1000.0).map(|depth| LayerUse::Pocket { depth }),
        _ if text == "through" => Some(LayerUse::Through),
        _ if text == "ignore" => Some(LayerUse::Ignore),
        _ => None,
    }
}

/// Why an answer makes no sense, whatever the part; none if it may.
pub fn answer_fault(question: &str, answer: &str) -> Option<String> {
    if answer.len() > 200 {
        return Some("An answer is at most 200 characters long".into());
    }
    match question {
        "unit" if LengthUnit::of(answer).is_none() => Some("The unit is mm, inch, cm, m or foot".into()),
        "solid" if answer.parse::<u32>().is_err() => Some("A solid is chosen by its number, from 0".into()),
        "closed" if !matches!(answer, "yes" | "no") => {
            Some("What closes the surfaces is right (yes) or not (no)".into())
        }
        q if q.starts_with("stays/") && (q[6..].parse::<u32>().is_err() || answer != "yes") => {
            Some("A solid of the file, by its number from 0, stays (yes) or is not mentioned".into())
        }
        q if q.starts_with(HAND) && (left_for_the_hand(q).is_none() || answer != "yes") => Some(
            "Only corners, passages and holes that no cutter makes are left for the hand (yes), by the finding's id"
                .into(),
        ),
        "thickness" if number(answer, 0.01, 1000.0).is_none() => {
            Some("A plate is between 0.01 and 1000 mm thick".into())
        }
        q if q.starts_with("layer/") && layer_use(answer).is_none() => {
            Some("A layer is 'through', 'ignore', or 'pocket:' and its depth in mm".into())
        }
        q if q.starts_with(MADE) && !Made::ALL.iter().any(|m| m.key() == answer) => {
            Some("A thread or a fit is made by 'tap', 'mill', 'ream' or 'hand'".into())
        }
        _ => None,
    }
}

const HAND: &str = "hand/";
/// How threads and fits are made: see [`crate::made_question`].
pub(crate) const MADE: &str = "made/";

/// The key under which a person leaves what a finding names for the hand.
pub fn hand_question(finding: &str) -> String {
    format!("{HAND}{finding}")
}

/// The finding and its kind that such a key is about.
pub fn left_for_the_hand(question: &str) -> Option<(&str, Kind)> {
    let finding = question.strip_prefix(HAND)?;
    let kind = Kind::named(finding.split(':').next()?)?;
    (kind.by_hand() && finding.contains(':')).then_some((finding, kind))
}

/// What answers say about the reading of the file.
pub fn reading_of(answers: &BTreeMap<String, String>) -> Reading {
    let mut r = Reading {
        unit: answers.get("unit").and_then(|u| LengthUnit::of(u)),
        solid: answers.get("solid").and_then(|s| s.parse().ok()),
        closed: answers.get("closed").map(|c| c == "yes"),
        ..Default::default()
    };
    r.drawing.thickness = answers.get("thickness").and_then(|t| number(t, 0.01, 1000.0));
    for (q, a) in answers {
        r.stays.extend(q.strip_prefix("stays/").filter(|_| a == "yes").and_then(|k| k.parse::<u32>().ok()));
        if let (Some(name), Some(used)) = (q.strip_prefix("layer/"), layer_use(a)) {
            r.drawing.layers.insert(name.into(), used);
        }
    }
    r
}

/// An answer in words, for the list of decisions.
pub fn answer_words(question: &str, answer: Option<&str>) -> String {
    let about = match question.split_once('/') {
        Some(("layer", name)) => format!("layer {name}"),
        Some((what, _)) => what.to_string(),
        None => question.to_string(),
    };
    if let Some(k) = question.strip_prefix("stays/").and_then(|k| k.parse::<u32>().ok()) {
        let does = if answer.is_some() { "stays" } else { "does not stay" };
        return format!("solid {} of the file {does} while the part is machined", k + 1);
    }
    if let Some((_, kind)) = left_for_the_hand(question) {
        let what = kind.meaning();
        let what = format!("{}{}", what[..1].to_lowercase(), &what[1..]);
        return if answer.is_some() {
            format!("left for the hand: {what}")
        } else {
            format!("for the machine again: {what}")
        };
    }
    if let Some(wants) = question.strip_prefix(MADE) {
        let made = answer.and_then(|a| Made::ALL.into_iter().find(|m| m.key() == a));
        return format!("{}: {}", wants.replace('|', "/"), made.map_or("as proposed", Made::words));
    }
    match (question, answer) {
        (_, None) => format!("{about}: open again"),
        ("solid", Some(a)) => format!("solid {}", a.parse::<u32>().map_or(0, |n| n + 1)),
        ("closed", Some(a)) => format!("closed surfaces: {}", if a == "yes" { "right" } else { "wrong" }),
        ("thickness", Some(a)) => format!("plate {a} mm thick", a = len(a)),
        (_, Some(a)) => format!("{about}: {}", a.replace(':', " ")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn answers_become_a_reading_and_nonsense_is_told() {
        let a = [("unit", "inch"), ("thickness", "8"), ("layer/CUT", "pocket:2.5"), ("hole/x", "M8")];
        let r = reading_of(&a.map(|(q, a)| (q.to_string(), a.to_string())).into());
        assert_eq!((r.unit, r.drawing.thickness), (Some(LengthUnit::Inch), Some(8.0)));
        assert_eq!(r.drawing.layers["CUT"], LayerUse::Pocket { depth: 2.5 });
        assert!(a.iter().all(|(q, a)| answer_fault(q, a).is_none()));
        assert_eq!(reading_of(&[("stays/2".to_string(), "yes".to_string())].into()).stays, [2]);
        assert_eq!(answer_words("stays/2", None), "solid 3 of the file does not stay while the part is machined");
        assert!(answer_fault("stays/2", "yes").is_none());
        let hand = hand_question("corner:pocket@48.0_32.0_6.0/78x46/12");
        assert!(answer_fault(&hand, "yes").is_none());
        assert!(answer_words(&hand, Some("yes")).starts_with("left for the hand: an inside corner"));
        let others = [("hand/gouge:1", "yes"), ("hand/corner", "yes"), (hand.as_str(), "no")];
        for (q, a) in [("stays/x", "yes"), ("stays/1", "perhaps")].into_iter().chain(others) {
            assert!(answer_fault(q, a).is_some(), "{q} {a}");
        }
        for (q, a) in [("unit", "furlong"), ("thickness", "-1"), ("layer/X", "pocket:deep"), ("solid", "first")] {
            assert!(answer_fault(q, a).is_some(), "{q} {a}");
        }
    }
}
