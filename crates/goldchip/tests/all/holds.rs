//! What holds a part, as files: jaws, plates, straps, bars, pallets.

use super::*;

/// Soft jaws as files: a folder of their own that stands alone, named by what they hold; proved again with it; changed, cut short or taken away they are
/// found out.
#[test]
fn soft_jaws_have_a_folder_that_is_proved_with_the_part() {
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("standoff");
    let model = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reading/hex-standoff.step");
    let o = goldchip(&["plan", path(&model), "--hold", "soft-jaws", "--out", path(&out)]);
    let text = String::from_utf8_lossy(&o.stdout);
    assert_eq!(o.status.code(), Some(0), "{text}{}", String::from_utf8_lossy(&o.stderr));
    assert!(text.contains("made/jaws-side-2:") && text.contains("proved: gouge"), "{text}");
    let plan = json(&out.join("plan.json"));
    let side = &plan["setups"][1];
    assert_eq!(side["hold"]["kind"], "soft_jaws");
    assert_eq!(side["error"].as_array().unwrap().len(), 3);
    let models: Vec<&str> = side["keep_out"].as_array().unwrap().iter().filter_map(|k| k["model"].as_str()).collect();
    assert_eq!(models, ["made/jaws-side-2/fixed-soft-jaw.step", "made/jaws-side-2/moving-soft-jaw.step"]);
    assert!(models.iter().all(|m| out.join(m).exists()));
    let refused = plan["offers"].as_array().unwrap().iter().find(|o| o["kind"] == "vise").unwrap();
    assert_eq!(refused["why_not"], "not wanted");
    let made = out.join("made/jaws-side-2");
    let own = json(&made.join("plan.json"));
    assert!(own["part"]["file"] == "model.step" && own["setups"].as_array().unwrap().len() == 1);
    assert!(json(&made.join("proof.json"))["complete"] == true && made.join("outline.dxf").exists());
    // The jaws and the part on a machine: a text that is not the card's is not run.
    let o = goldchip(&["run", path(&out)]);
    assert!(o.status.code() == Some(0) && said(&o).contains("3 programs"), "{}{}", said(&o), last_error(&o));
    let program = out.join("made/jaws-side-2/1-jaws-side-2.ngc");
    let good = std::fs::read_to_string(&program).unwrap();
    std::fs::write(&program, format!("{good}(one word more)\n")).unwrap();
    let o = goldchip(&["run", path(&out)]);
    assert!(o.status.code() == Some(3) && last_error(&o).contains("another text"), "{}", last_error(&o));
    std::fs::write(&program, good).unwrap();
    let fit = &json(&out.join("proof.json"))["fits"][0];
    assert!(fit["overlap_mm"].as_f64().unwrap() <= 0.01 && fit["goes_in"] == true, "{fit}");
    // Alone and with the part they are proved again.
    assert_eq!(goldchip(&["prove", path(&made)]).status.code(), Some(0));
    assert_eq!(goldchip(&["prove", path(&out)]).status.code(), Some(0));

    // Their nest is cut 0.2 mm too far back.
    let program = made.join(own["setups"][0]["program"].as_str().unwrap());
    let good = std::fs::read_to_string(&program).unwrap();
    let word = |w: &str| match w.strip_prefix('Y').and_then(|v| v.parse::<f64>().ok()) {
        Some(y) => format!("Y{:.4}", y - 0.2),
        None => w.to_string(),
    };
    let line =
        |l: &str| if l.starts_with('(') { l.into() } else { l.split(' ').map(word).collect::<Vec<_>>().join(" ") };
    std::fs::write(&program, good.lines().map(line).collect::<Vec<_>>().join("\n")).unwrap();
    let o = goldchip(&["prove", path(&out)]);
    assert_eq!(o.status.code(), Some(3));
    let said = String::from_utf8_lossy(&o.stdout).into_owned();
    assert!(said.contains("does not go into 'jaws-side-2'") && said.contains("not proved"), "{said}");
    // What is missing is named.
    std::fs::remove_file(&program).unwrap();
    let o = goldchip(&["prove", path(&out)]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("is missing"), "{}", last_error(&o));
    std::fs::write(&program, good).unwrap();
    // The second side by another zero: where it stands the plan's file says, else it is refused; 0.3 mm off it is a gouge.
    let second = out.join(side["program"].as_str().unwrap());
    let posted = std::fs::read_to_string(&second).unwrap();
    std::fs::write(&second, posted.replace("G54", "G55")).unwrap();
    let o = goldchip(&["prove", path(&out)]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("G55"), "{}", last_error(&o));
    for (x, code) in [(0.0, 0), (0.3, 3)] {
        let mut plan = plan.clone();
        plan["setups"][1]["zeros"] = serde_json::json!({"G55": [x, 0.0, 0.0]});
        std::fs::write(out.join("plan.json"), plan.to_string()).unwrap();
        let o = goldchip(&["prove", path(&out)]);
        assert_eq!(o.status.code(), Some(code), "{}", String::from_utf8_lossy(&o.stdout));
    }
    std::fs::write(&second, posted).unwrap();
    std::fs::write(out.join("plan.json"), plan.to_string()).unwrap();
    // A name that is a path leads nowhere.
    let text = std::fs::read_to_string(out.join("plan.json")).unwrap();
    std::fs::write(out.join("plan.json"), text.replace("\"made\":\"jaws-side-2\"", "\"made\":\"../elsewhere\""))
        .unwrap();
    let o = goldchip(&["prove", path(&out)]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("no name of a made piece"), "{}", last_error(&o));

    // Only flat jaws, for an outline that they do not hold: they say why. A way that nobody knows is refused.
    let odd = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reading/sight-plate.step");
    let o = goldchip(&["plan", path(&odd), "--hold", "vise", "--out", path(&dir.path().join("v"))]);
    assert!(o.status.code() == Some(3) && String::from_utf8_lossy(&o.stdout).contains("no two parallel faces to grip"));
    let o = goldchip(&["plan", path(&model), "--hold", "glue", "--out", path(&dir.path().join("g"))]);
    assert!(
        o.status.code() == Some(2) && last_error(&o).contains("vise, chuck, soft-jaws, plate, bond"),
        "{}",
        last_error(&o)
    );
}

/// A plate that no vise opens for: one program with a stop, what stands there by its lines, and a proof from the files. With the stop deleted, or a strap's line gone,
/// it is stopped.
#[test]
fn a_program_that_stops_is_proved_with_what_stands_there_when() {
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("pier");
    let model = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reading/pier-plate.step");
    let o = goldchip(&["plan", path(&model), "--scheme", "table.straps.+z.x", "--out", path(&out)]);
    let text = String::from_utf8_lossy(&o.stdout);
    assert_eq!(o.status.code(), Some(0), "{text}{}", String::from_utf8_lossy(&o.stderr));
    let plan = json(&out.join("plan.json"));
    let side = &plan["setups"][0];
    assert_eq!((plan["setups"].as_array().unwrap().len(), &side["hold"]["kind"]), (1, &serde_json::json!("straps")));
    let file = out.join(side["program"].as_str().unwrap());
    let program = std::fs::read_to_string(&file).unwrap();
    let stop = 1 + program.lines().position(|l| l == "M0").unwrap() as u64;
    let last = program.lines().count() as u64;
    let keep_out = side["keep_out"].as_array().unwrap();
    let of = |start: &'static str| keep_out.iter().filter(move |k| k["name"].as_str().unwrap().starts_with(start));
    assert_eq!((of("strap ").count(), of("screw ").count(), of("sheet").count()), (4, 8, 1));
    for k in of("screw ") {
        assert_eq!((&k["lines"], &k["stops"]), (&serde_json::json!([stop + 1, last]), &serde_json::json!([1])));
        assert!(out.join(k["model"].as_str().unwrap()).exists());
    }
    assert!(of("strap ").all(|k| k["lines"].is_null() && k["clamps"] == true));
    // The ends that stay are named for whoever measures what is left.
    assert!(plan["named"].as_array().unwrap().iter().any(|n| n["kind"] == "ends_stay"));
    assert_eq!(goldchip(&["prove", path(&out)]).status.code(), Some(0));
    let says = |text: &str| {
        std::fs::write(&file, text).unwrap();
        let o = goldchip(&["prove", path(&out)]);
        assert_eq!(o.status.code(), Some(3), "{}", String::from_utf8_lossy(&o.stdout));
        String::from_utf8_lossy(&o.stdout).into_owned()
    };
    assert!(says(&program.replace("\nM0\n", "\n")).contains("A piece comes loose"));
    // A line more before the stop moves nothing: the stop says when screws stand there.
    std::fs::write(&file, program.replacen("G17 G21", "(LOOK)\nG17 G21", 1)).unwrap();
    assert_eq!(goldchip(&["prove", path(&out)]).status.code(), Some(0));
    std::fs::write(&file, &program).unwrap();
    let mut wrong = plan.clone();
    let screw =
        wrong["setups"][0]["keep_out"].as_array_mut().unwrap().iter_mut().find(|k| k["name"] == "screw 1").unwrap();
    screw["stops"] = serde_json::json!([3, 1]);
    std::fs::write(out.join("plan.json"), wrong.to_string()).unwrap();
    let o = goldchip(&["prove", path(&out)]);
    assert_eq!(o.status.code(), Some(2));
    assert!(
        String::from_utf8_lossy(&o.stderr).contains("'screw 1' stands from a stop"),
        "{}",
        String::from_utf8_lossy(&o.stderr)
    );
}

/// From a bar: stock and saw stand in the folder, and the proof is made from the files. A thinner bar, and a saw through the part, are stopped; what is no bar is refused.
#[test]
fn a_bar_and_the_saw_stand_in_the_folder() {
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("post");
    let model = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reading/cord-post.step");
    let o = goldchip(&["plan", path(&model), "--out", path(&out)]);
    let text = String::from_utf8_lossy(&o.stdout);
    assert_eq!(o.status.code(), Some(0), "{text}{}", String::from_utf8_lossy(&o.stderr));
    assert!(text.contains("bar, hexagon 17 across flats, 86 mm long"), "{text}");
    let plan = json(&out.join("plan.json"));
    assert_eq!(
        (&plan["bar"]["form"], &plan["bar"]["across_mm"]),
        (&serde_json::json!("hexagon"), &serde_json::json!(17.0))
    );
    let setups = plan["setups"].as_array().unwrap();
    let sawn: Vec<bool> = setups.iter().map(|s| s["sawn"].is_object()).collect();
    assert_eq!(sawn, [false, false, false, false, true]);
    assert_eq!(
        (&setups[1]["hold"]["kind"], &setups[4]["hold"]["kind"]),
        (&serde_json::json!("collet"), &serde_json::json!("vise"))
    );
    assert_eq!(goldchip(&["prove", path(&out)]).status.code(), Some(0));
    let proved = |change: &dyn Fn(&mut serde_json::Value)| {
        let mut p = plan.clone();
        change(&mut p);
        std::fs::write(out.join("plan.json"), p.to_string()).unwrap();
        let o = goldchip(&["prove", path(&out)]);
        (o.status.code(), format!("{}{}", String::from_utf8_lossy(&o.stdout), String::from_utf8_lossy(&o.stderr)))
    };
    let (code, text) = proved(&|p| p["bar"]["across_mm"] = 16.8.into());
    assert!(code == Some(3) && text.contains("too deep"), "{text}");
    let (code, text) = proved(&|p| p["setups"][4]["sawn"]["min_mm"][2] = 2.0.into());
    assert!(code == Some(3) && text.contains("too deep"), "{text}");
    let (code, text) = proved(&|p| p["bar"]["axis"] = 7.into());
    assert!(code == Some(2) && text.contains("a bar has an axis 0, 1 or 2"), "{text}");
    let (code, text) = proved(&|p| p["setups"][4]["sawn"]["max_mm"][2] = (-9.0).into());
    assert!(code == Some(2) && text.contains("what the saw leaves before 'side 5' has no size"), "{text}");
}

/// A plate as files: a folder of its own, solids for its pins and screws; a hole that was not drilled, and a plate that is not as its model says, are found.
#[test]
fn a_plate_has_a_folder_that_is_proved_with_the_part() {
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("guider");
    let model = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reading/guider-plate.step");
    let o = goldchip(&["plan", path(&model), "--hold", "plate", "--out", path(&out)]);
    let text = String::from_utf8_lossy(&o.stdout);
    assert_eq!(o.status.code(), Some(0), "{text}{}", String::from_utf8_lossy(&o.stderr));
    assert!(text.contains("made/plate-side-3: Plate for side 3 of guider-plate"), "{text}");
    let plan = json(&out.join("plan.json"));
    let side = &plan["setups"][2];
    assert_eq!(side["hold"]["kind"], "plate");
    let models: Vec<&str> = side["keep_out"].as_array().unwrap().iter().filter_map(|k| k["model"].as_str()).collect();
    let of = |start: &str| models.iter().filter(|m| m.starts_with(start)).count();
    assert_eq!((of("made/plate-side-3/plate.step"), of("hold/3/pin"), of("hold/3/screw")), (1, 2, 3), "{models:?}");
    assert!(models.iter().all(|m| out.join(m).exists()));
    assert_eq!(goldchip(&["prove", path(&out)]).status.code(), Some(0));
    let broken = |file: &Path, change: &dyn Fn(&str) -> String, says: &str| {
        let good = std::fs::read_to_string(file).unwrap();
        std::fs::write(file, change(&good)).unwrap();
        let o = goldchip(&["prove", path(&out)]);
        std::fs::write(file, good).unwrap();
        let said = String::from_utf8_lossy(&o.stdout).into_owned();
        assert!(o.status.code() == Some(3) && said.contains(says), "{says}: {said}");
    };
    let program = |k: usize| out.join(plan["setups"][k]["program"].as_str().unwrap());
    let undrilled =
        |t: &str| t.lines().filter(|l| !l.contains("G81") && !l.contains("G83")).collect::<Vec<_>>().join("\n");
    broken(&program(0), &undrilled, "stands where there is still material");
    let own = json(&out.join("made/plate-side-3/plan.json"));
    let plate = out.join("made/plate-side-3").join(own["setups"][0]["program"].as_str().unwrap());
    broken(&plate, &undrilled, "'plate-side-3', which would hold it, is not proved");
}

/// A thin plate and a flange: what a pallet bears stands in the file and is proved from it, a chuck's jaws are solids of the folder, and whole ways are listed
/// with what each takes and why one cannot be.
#[test]
fn pallets_chucks_and_whole_ways_stand_in_the_files() {
    let reading = |name: &str| Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reading").join(name);
    let dir = tempfile::tempdir().unwrap();
    let sheet = dir.path().join("sheet");
    let o =
        goldchip(&["plan", path(&reading("sight-plate.step")), "--pieces", "10", "--compare", "--out", path(&sheet)]);
    assert_eq!(o.status.code(), Some(0), "{}", String::from_utf8_lossy(&o.stdout));
    let plan = json(&sheet.join("plan.json"));
    let pallet = &plan["setups"][0]["keep_out"][0];
    assert!(pallet["may_cut_mm"].as_f64().unwrap() > 1.0 && pallet["sticks"] == true, "{pallet}");
    assert_eq!((plan["schemes"]["quantity"].as_u64(), plan["setups"].as_array().unwrap().len()), (Some(10), 1));
    let ways = plan["schemes"]["ways"].as_array().unwrap();
    // Compared, each that can be is planned and proved.
    assert!(plan["schemes"]["done"] == true && ways.iter().filter(|w| w["proved"] == true).count() >= 2);
    let chosen = ways.iter().find(|w| w["chosen"] == true).unwrap();
    assert!(chosen["id"].as_str().unwrap().starts_with("sheet.bond.") && chosen["proved"] == true, "{chosen}");
    assert!(chosen["setups"][0].get("drawn").is_none());
    let shut = plan["schemes"]["refused"].as_array().unwrap();
    assert!(shut.iter().any(|r| r[0].as_str().unwrap().contains("flat jaws")), "{shut:?}");
    assert_eq!(goldchip(&["prove", path(&sheet)]).status.code(), Some(0));
    // Nothing may be cut into it: then it is found. A depth that is none is refused.
    for (may, code) in [(0.0, 3), (-1.0, 2)] {
        let mut other = plan.clone();
        other["setups"][0]["keep_out"][0]["may_cut_mm"] = may.into();
        std::fs::write(sheet.join("plan.json"), other.to_string()).unwrap();
        let o = goldchip(&["prove", path(&sheet)]);
        assert_eq!(o.status.code(), Some(code), "{}{}", String::from_utf8_lossy(&o.stdout), last_error(&o));
    }

    let flange = dir.path().join("flange");
    let o = goldchip(&["plan", path(&reading("finder-flange.step")), "--hold", "chuck", "--out", path(&flange)]);
    assert_eq!(o.status.code(), Some(0), "{}", String::from_utf8_lossy(&o.stdout));
    let plan = json(&flange.join("plan.json"));
    let models: Vec<&str> =
        plan["setups"][1]["keep_out"].as_array().unwrap().iter().filter_map(|k| k["model"].as_str()).collect();
    assert!(
        models.len() == 4 && models.iter().all(|m| m.starts_with("hold/2/") && flange.join(m).exists()),
        "{models:?}"
    );
    assert_eq!(goldchip(&["prove", path(&flange)]).status.code(), Some(0));

    let lost = dir.path().join("lost");
    let o =
        goldchip(&["plan", path(&reading("finder-flange.step")), "--scheme", "deck.vise.+z.q", "--out", path(&lost)]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("names no way"), "{}", last_error(&o));
    let o = goldchip(&["plan", path(&reading("finder-flange.step")), "--pieces", "0", "--out", path(&lost)]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("--pieces 0"), "{}", last_error(&o));
}
