//! Plans, formats, books and threads by the command line.

use super::*;

/// The bracket is planned and proved; its folder has the agreed shapes; proving it again gives the same; a line edited by hand is
/// found out; a line that cannot be followed is refused.
#[test]
fn plan_prove_edit_prove() {
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("bracket");
    let o = goldchip(&["plan", path(&demo("encoder-bracket")), "--out", path(&out)]);
    let text = String::from_utf8_lossy(&o.stdout);
    assert_eq!(o.status.code(), Some(0), "{text}{}", String::from_utf8_lossy(&o.stderr));
    // Its two holes across are drilled in a third setup: nothing is left.
    assert!(text.contains("proved: gouge") && text.contains("side 3: 2 operations"), "{text}");

    // The same for other controls, proved from those texts: numbered and packed, by increments and written out, without arcs.
    for (control, ending) in [("production", "nc"), ("increments", "tap"), ("chords", "cnc")] {
        let other = dir.path().join(control);
        let o = goldchip(&["post", path(&out), "--dialect", control, "--out", path(&other)]);
        assert_eq!(o.status.code(), Some(0), "{control}: {}", String::from_utf8_lossy(&o.stdout));
        assert!(other.join(format!("posted/2-encoder-bracket.{ending}")).exists(), "{control}");
        assert!(json(&other.join("proof.json"))["gouge_mm"].as_f64().unwrap() < 0.008, "{control}");
        // What was promised is still promised: nothing is judged by the machine alone.
        assert!(!String::from_utf8_lossy(&o.stdout).contains("judged by cutter"), "{control}");
    }

    let plan = json(&out.join("plan.json"));
    let proof = json(&out.join("proof.json"));
    assert!(plan["part"]["file"].is_string() && plan["material"].is_string());
    assert_eq!(plan["setups"].as_array().unwrap().len(), 3);
    for s in plan["setups"].as_array().unwrap() {
        assert_eq!(s["part_from_work"].as_array().unwrap().len(), 16);
        assert_eq!(s["zero_in_machine_mm"].as_array().unwrap().len(), 3);
        assert!(out.join(s["program"].as_str().unwrap()).exists());
        for key in [
            "number",
            "kind",
            "diameter_mm",
            "corner_radius_mm",
            "tip_diameter_mm",
            "point_angle_deg",
            "flute_length_mm",
            "shank_diameter_mm",
            "stickout_mm",
            "holder",
        ] {
            assert!(!s["tools"][0][key].is_null(), "{key}");
        }
        assert!(s["keep_out"].as_array().unwrap().len() >= 2 && s["zero"].as_array().unwrap().len() == 3);
        assert!(s["hold"]["kind"] == "vise" && s["hold"]["clamp_kn"].as_f64().unwrap() > 0.0, "{}", s["hold"]);
        assert_eq!(s["station"], plan["machine"]["id"], "a setup names its station");
        // Any number opens to terms, limit and source.
        for op in s["operations"].as_array().unwrap().iter().filter(|o| o["mill"].is_object()) {
            for n in ["rpm", "fz", "ap"] {
                let j = &op["mill"][n];
                assert!(j["bound_by"].is_string() && !j["bounds"].as_array().unwrap().is_empty());
                assert!(!j["terms"].as_array().unwrap().is_empty() && j["source"].as_str().unwrap().len() > 20);
            }
            assert!(!op["order_why"].as_str().unwrap().is_empty());
        }
    }
    assert_eq!(proof["complete"], true);
    // What a person at the machine is led through lies beside it, for these very texts; and what is to be measured, as a table.
    let card = json(&out.join("run-card.json"));
    assert_eq!(card["programs"].as_array().unwrap().len(), 3);
    for p in card["programs"].as_array().unwrap() {
        let text = std::fs::read_to_string(out.join(p["file"].as_str().unwrap())).unwrap();
        assert_eq!(p["lines"].as_u64().unwrap() as usize, text.lines().count());
    }
    let kinds: Vec<&str> = card["steps"].as_array().unwrap().iter().map(|s| s["kind"].as_str().unwrap()).collect();
    for kind in ["caution", "stock", "cutters", "zero", "load", "program", "dry_run", "first_cut", "run", "measure"] {
        assert!(kinds.contains(&kind), "{kind}: {kinds:?}");
    }
    // The card worked through on a simulated machine, over a broken cutter and a lost line in each program.
    let o = goldchip(&["run", path(&out), "--faults"]);
    assert_eq!(o.status.code(), Some(0), "{}{}", said(&o), last_error(&o));
    assert!(said(&o).contains("3 programs, 3 cutters changed"), "{}", said(&o));
    let log = std::fs::read_to_string(out.join("run-log.csv")).unwrap();
    assert!(log.contains("Zero X") && log.matches("broken").count() == 3, "{log}");
    let (pdf, table) = (dir.path().join("s.pdf"), dir.path().join("i.csv"));
    let o = goldchip(&["sheet", path(&out), "--out", path(&pdf), "--inspection", path(&table)]);
    assert_eq!(o.status.code(), Some(0));
    let table = std::fs::read_to_string(&table).unwrap();
    for row in ["74.00 mm along X, by the general tolerance\",74,73.7,74.3,no", ",48,47.7,48.3,no", ",16,15.8,16.2,no"]
    {
        assert!(table.contains(row), "{row}: {table}");
    }
    // The holes across are drawn with flat bottoms: the drill's points go deeper, and the plan says where.
    assert_eq!(plan["points"].as_array().unwrap().len(), 2);
    for p in plan["points"].as_array().unwrap() {
        assert!((p["diameter_mm"].as_f64().unwrap() - 3.3).abs() < 1e-9 && p["point_mm"].as_f64().unwrap() > 0.5);
    }
    assert!(proof["gouge_mm"].as_f64().unwrap() < 0.02 && proof["leftover_mm"].as_f64().unwrap() < 0.1);
    assert!(proof["minutes"].as_f64().unwrap() > 1.0);
    // Promises stand beside the text, by lines, and the text they are for is kept.
    for s in plan["setups"].as_array().unwrap() {
        let lines = std::fs::read_to_string(out.join(s["program"].as_str().unwrap())).unwrap().lines().count() as u64;
        let posted = s["posted"].as_array().unwrap();
        assert!(!posted.is_empty());
        let n = |p: &Value, key: &str| p[key].as_u64().unwrap();
        assert!(posted.iter().all(|p| n(p, "first_line") <= n(p, "last_line") && n(p, "last_line") <= lines));
        assert!(posted.windows(2).all(|w| n(&w[0], "last_line") < n(&w[1], "first_line")));
        assert!(posted.iter().all(|p| p["coolant"] == "flood" && p["tool"].is_u64()));
        assert!(out.join("posted").join(s["program"].as_str().unwrap()).exists());
    }

    let again = goldchip(&["prove", path(&out)]);
    assert_eq!(again.status.code(), Some(0));
    assert_eq!(json(&out.join("proof.json")), proof, "the same text gives the same proof");

    // A floor 0.05 too deep.
    let program = out.join(plan["setups"][0]["program"].as_str().unwrap());
    let good = std::fs::read_to_string(&program).unwrap();
    let line = good.lines().position(|l| l.contains("FLOOR AT")).expect("a floor");
    let mut lines: Vec<String> = good.lines().map(Into::into).collect();
    let z = (line..lines.len()).find(|&k| lines[k].starts_with("G1 Z")).expect("a way down");
    let deeper = |word: &str| match word.strip_prefix('Z') {
        Some(n) => format!("Z{:.4}", n.parse::<f64>().unwrap() - 0.05),
        None => word.to_string(),
    };
    lines[z] = lines[z].split_whitespace().map(deeper).collect::<Vec<_>>().join(" ");
    std::fs::write(&program, lines.join("\n")).unwrap();
    let bad = goldchip(&["prove", path(&out)]);
    assert_eq!(bad.status.code(), Some(3), "{}", String::from_utf8_lossy(&bad.stdout));
    let worse = json(&out.join("proof.json"));
    let gouge = worse["findings"]
        .as_array()
        .unwrap()
        .iter()
        .find(|f| f["kind"] == "gouge" && f["severity"] == "stop")
        .expect("a gouge");
    assert!((worse["gouge_mm"].as_f64().unwrap() - 0.05).abs() < 0.003, "{gouge}");
    assert!(gouge["line"].as_u64().unwrap() > line as u64 && gouge["setup"] == "side 1");

    // What the machine cannot do, coolant forgotten, another cutter called: each is found with its line.
    let edits =
        [("S6000 M3", "S60000 M3"), ("F1134.", "F9999."), ("M8\n", ""), ("T5 M6", "T2 M6"), ("G43 H5", "G43 H2")];
    let wrong = edits.iter().fold(good.clone(), |t, (from, to)| {
        assert!(t.contains(from), "no {from}");
        t.replace(from, to)
    });
    std::fs::write(&program, wrong).unwrap();
    assert_eq!(goldchip(&["prove", path(&out)]).status.code(), Some(3));
    let found = json(&out.join("proof.json"));
    for kind in ["rpm", "feed", "no_coolant", "other_tool"] {
        let is = |f: &&Value| f["kind"] == kind && f["severity"] == "stop" && f["line"].is_u64();
        assert!(found["findings"].as_array().unwrap().iter().any(|f| is(&f)), "{kind}");
    }

    std::fs::write(&program, good.replace("G0 X", "G41 D77 G0 X")).unwrap();
    let refused = goldchip(&["prove", path(&out)]);
    assert_eq!(refused.status.code(), Some(2));
    assert!(last_error(&refused).contains("no cutter T77"), "{}", last_error(&refused));
    std::fs::remove_file(&program).unwrap();
    let missing = goldchip(&["prove", path(&out)]);
    assert_eq!(missing.status.code(), Some(2));
    assert!(last_error(&missing).contains("is missing"));
}

#[test]
fn bad_files_get_one_sentence_and_code_2() {
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("o");
    let good = std::fs::read(demo("spider-plate")).unwrap();
    let mut garbage = b"ISO-10303-21;\nHEADER;\n".to_vec();
    garbage.extend((0..5000u32).map(|k| (k.wrapping_mul(2_654_435_761) >> 24) as u8));
    garbage.extend(b"\nEND-ISO-10303-21;\n");
    let huge = dir.path().join("huge.step");
    std::fs::File::create(&huge).unwrap().set_len(61 << 20).unwrap();
    let mut cases: Vec<(PathBuf, &str)> = vec![
        (huge, "MB"),
        (dir.path().join("none.step"), "cannot be opened"),
        (dir.path().to_path_buf(), "not a file"),
    ];
    for (name, bytes, words) in [
        ("empty.step", Vec::new(), "empty"),
        ("text.step", b"solid block\nfacet".to_vec(), "no triangle"),
        ("words.step", b"a model, I promise".to_vec(), "no file that can be read here"),
        ("cut.step", good[..good.len() / 2].to_vec(), "cut off"),
        ("garbage.step", garbage, "export"),
    ] {
        let p = dir.path().join(name);
        std::fs::write(&p, bytes).unwrap();
        cases.push((p, words));
    }
    let two = dir.path().join("two.step");
    use kernel::shape::Shape;
    let a = Shape::block([0.0; 3], [10.0, 10.0, 10.0]).unwrap();
    let both = a.fuse(&Shape::block([20.0, 0.0, 0.0], [30.0, 10.0, 10.0]).unwrap()).unwrap();
    both.write_step(&two).unwrap();
    cases.push((two, "2 solids"));
    for (file, words) in cases {
        let o = goldchip(&["plan", path(&file), "--out", path(&out)]);
        let e = last_error(&o);
        assert_eq!(o.status.code(), Some(2), "{}: {e}", file.display());
        assert!(e.contains(words) && e.len() > 30 && !e.contains("panicked"), "{}: {e}", file.display());
    }
    assert!(!out.join("plan.json").exists());
}

/// Every format by the command line: a mesh, a drawing with its thickness, one solid of two, a unit.
#[test]
fn formats_and_what_they_leave_open() {
    use kernel::shape::Shape;
    let dir = tempfile::tempdir().unwrap();
    let reading = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reading");
    let out = |n: &str| dir.path().join(n);
    let plan = |args: &[&str], n: &str| {
        let mut all = vec!["plan"];
        all.extend(args);
        let o = out(n);
        all.extend(["--out", path(&o)]);
        let done = goldchip(&all);
        let said = format!("{}{}", String::from_utf8_lossy(&done.stdout), last_error(&done));
        assert_eq!(done.status.code(), Some(0), "{args:?}: {said}");
        said
    };
    let size = |n: &str| {
        let p = json(&out(n).join("plan.json"));
        let s =
            |k: &str| -> Vec<f64> { p["stock"][k].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect() };
        s("max_mm").iter().zip(s("min_mm")).map(|(a, b)| a - b).collect::<Vec<f64>>()
    };
    // A drawing has no thickness until it is given.
    let said = plan(&[path(&reading.join("dew-flange.dxf")), "--thickness", "7.5"], "flange");
    assert!(said.contains("x 7.50 mm"), "{said}");
    let two = out("two.step");
    let b = Shape::block([20.0, 0.0, 0.0], [50.0, 20.0, 8.0]).unwrap();
    Shape::block([0.0; 3], [10.0, 10.0, 10.0]).unwrap().fuse(&b).unwrap().write_step(&two).unwrap();
    assert!(plan(&[path(&two), "--solid", "2"], "second").contains("part 30.00 x 20.00 x 8.00"));
    // Facets without a unit, drawn in inch.
    let stl = out("inch.stl");
    std::fs::write(&stl, stl_block([2.0, 1.0, 0.4])).unwrap();
    assert!(plan(&[path(&stl), "--unit", "inch"], "inch").contains("part 50.80 x 25.40 x 10.16"));
    // From a rack: the piece is named, and its section is the block's.
    let rack = out("rack.csv");
    std::fs::write(&rack, "tag,form,material,skin,length,width,height\nK7,flat,aluminium-6082,drawn,400,30,20\n")
        .unwrap();
    let said = plan(&[path(&two), "--solid", "2", "--rack", path(&rack)], "racked");
    assert!(said.contains("from the rack: K7"), "{said}");
    let mut s = size("racked");
    s.sort_by(f64::total_cmp);
    // The part lies along the bar, so that its drawn sides are gripped: 30 and a sawn end on both sides.
    assert!((s[0] - 20.0).abs() < 1e-6 && (s[1] - 30.0).abs() < 1e-6 && (s[2] - 34.0).abs() < 1e-6, "{s:?}");
    std::fs::write(&rack, "tag,form,material,length\nK7,flat,cheese,400\n").unwrap();
    let o = goldchip(&["plan", path(&two), "--solid", "2", "--rack", path(&rack), "--out", path(&out("no"))]);
    assert_eq!(o.status.code(), Some(2));
    assert!(last_error(&o).contains("line 2"), "{}", last_error(&o));
}

/// A cuboid as facets in text.
fn stl_block(s: [f64; 3]) -> String {
    let p = |k: usize| [s[0] * (k & 1) as f64, s[1] * (k >> 1 & 1) as f64, s[2] * (k >> 2 & 1) as f64];
    let quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let mut out = String::from("solid b\n");
    for t in quads.iter().flat_map(|q| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]]) {
        out += "facet normal 0 0 0\nouter loop\n";
        for k in t {
            let v = p(k);
            out += &format!("vertex {} {} {}\n", v[0], v[1], v[2]);
        }
        out += "endloop\nendfacet\n";
    }
    out + "endsolid b\n"
}

#[test]
fn arguments_are_checked_before_any_work() {
    let part = demo("spider-plate");
    let part = path(&part);
    for (args, words) in [
        (vec!["plan", part], "--out DIR is missing"),
        (vec!["plan", "--out", "/tmp/x"], "no model"),
        (vec!["plan", part, "--out", "/tmp/x", "--material", "cheese"], "there are aluminium-6082"),
        (vec!["plan", part, "--out", "/tmp/x", "--machine", "press"], "there is bench-mill"),
        (vec!["plan", part, "--out", "/tmp/x", "--stock", "1,2"], "three lengths"),
        (vec!["plan", part, "--out", "/tmp/x", "--stock", "100,60,9"], "larger block"),
        (vec!["plan", part, "--out", "/tmp/x", "--stock", "nan,60,9"], "length"),
        (vec!["plan", part, "--out", "/tmp/x", "--colour"], "usage"),
        (vec!["polish"], "not a command"),
        (vec![], "usage"),
        (vec!["prove", "/nowhere"], "plan.json is missing"),
    ] {
        let o = goldchip(&args);
        assert_eq!(o.status.code(), Some(2), "{args:?}");
        assert!(last_error(&o).contains(words), "{args:?}: {}", last_error(&o));
    }
}

/// A plan by hand, without the keys that are our own: refused where it is wrong, proved where it is right.
#[test]
fn a_plan_written_by_hand_is_proved() {
    use kernel::shape::Shape;
    let dir = tempfile::tempdir().unwrap();
    Shape::block([0.0; 3], [30.0, 20.0, 8.0]).unwrap().write_step(&dir.path().join("b.step")).unwrap();
    std::fs::write(dir.path().join("p.ngc"), "G21 G90 G17\nG53 G0 Z0\nT1 M6\nG53 G0 Z0\nS3000 M3\nG0 X-20 Y10\nG43 H1 Z20\nG0 Z8\nG1 X50 F300\nG0 Z20\nG53 G0 Z0\nM30\n").unwrap();
    let mut plan: Value = serde_json::json!({
        "part": {"file": "b.step"}, "material": "brass",
        "stock": {"min_mm": [0, 0, 0], "max_mm": [30, 20, 9]},
        "setups": [{"name": "only", "program": "p.ngc", "part_from_work": [1,0,0,0, 0,1,0,0, 0,0,1,0, 0,0,0,1],
            "zero_in_machine_mm": [200, 100, -300],
            "tools": [{"number": 1, "kind": "face", "diameter_mm": 40.0, "corner_radius_mm": 0.0, "tip_diameter_mm": 0.0, "point_angle_deg": 0, "flute_length_mm": 8, "shank_diameter_mm": 16, "stickout_mm": 30, "holder": []}],
            "keep_out": []}]
    });
    let write = |p: &Value| std::fs::write(dir.path().join("plan.json"), p.to_string()).unwrap();
    write(&plan);
    let o = goldchip(&["prove", path(dir.path())]);
    assert_eq!(o.status.code(), Some(0), "{}{}", String::from_utf8_lossy(&o.stdout), last_error(&o));
    assert_eq!(json(&dir.path().join("proof.json"))["complete"], true);
    // A solid that holds the part: beside the cut it is none of its business, in the cut it is met, and one that is not there is asked for.
    std::fs::create_dir_all(dir.path().join("made/stop")).unwrap();
    let model = "made/stop/model.step";
    Shape::cylinder([0.0; 3], [0.0, 0.0, 1.0], 3.0, 9.0).unwrap().write_step(&dir.path().join(model)).unwrap();
    let at = |x: f64, tilt: f64, model: &str| {
        let (s, c) = tilt.sin_cos();
        serde_json::json!([{"name": "work stop", "model": model,
            "work_from_model": [1.0, 0.0, 0.0, x, 0.0, c, -s, 40.0, 0.0, s, c, 0.0, 0.0, 0.0, 0.0, 1.0]}])
    };
    plan["setups"][0]["keep_out"] = at(-60.0, 0.0, model);
    write(&plan);
    let o = goldchip(&["prove", path(dir.path())]);
    assert_eq!(o.status.code(), Some(0), "{}{}", String::from_utf8_lossy(&o.stdout), last_error(&o));
    plan["setups"][0]["keep_out"] = at(10.0, 0.0, model);
    plan["setups"][0]["keep_out"][0]["work_from_model"][7] = serde_json::json!(30.0);
    write(&plan);
    let o = goldchip(&["prove", path(dir.path())]);
    assert_eq!(o.status.code(), Some(3), "{}", String::from_utf8_lossy(&o.stdout));
    assert!(String::from_utf8_lossy(&o.stdout).contains("The cutter of T1 runs into 'work stop', 1.00 mm of it"));
    plan["setups"][0]["keep_out"] = at(10.0, 1.2, model);
    write(&plan);
    assert_eq!(
        goldchip(&["prove", path(dir.path())]).status.code(),
        Some(0),
        "leaning away it lies lower than the cut"
    );
    for (model, says) in [("made/none.step", "made/none.step"), ("../b.step", "must lie in the plan's folder")] {
        plan["setups"][0]["keep_out"] = at(10.0, 0.0, model);
        write(&plan);
        let o = goldchip(&["prove", path(dir.path())]);
        assert_eq!(o.status.code(), Some(2));
        assert!(last_error(&o).contains(says), "{}", last_error(&o));
    }
    plan["setups"][0]["keep_out"] = serde_json::json!([]);
    plan["setups"][0]["part_from_work"][0] = serde_json::json!(-1);
    write(&plan);
    let o = goldchip(&["prove", path(dir.path())]);
    assert_eq!(o.status.code(), Some(2));
    assert!(last_error(&o).contains("right-handed"));
}

/// Another solid of the file that stays: kept out of, named, kept with the plan, and seen again when the plan is proved from its folder.
#[test]
fn what_stays_beside_the_part_is_kept_with_the_plan() {
    let dir = tempfile::tempdir().unwrap();
    let latch = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reading/slit-latch.step");
    let plan = |out: &Path, more: &[&str]| {
        let mut args = vec!["plan", path(&latch), "--solid", "1", "--out", path(out)];
        args.extend(more);
        goldchip(&args)
    };
    let (free, kept) = (dir.path().join("free"), dir.path().join("kept"));
    let o = plan(&free, &[]);
    assert_eq!(o.status.code(), Some(0), "{}", String::from_utf8_lossy(&o.stdout));
    assert_eq!(json(&free.join("plan.json"))["part"]["reading"]["stays"], serde_json::json!([]));
    // Its pin stands in the hole: there nothing can be cut.
    let o = plan(&kept, &["--stays", "2"]);
    let said = String::from_utf8_lossy(&o.stdout).into_owned();
    assert!(said.contains("stays while the part is machined"), "{said}");
    assert!(!said.contains("runs into 'solid 2' beside the part"), "planned around it: {said}");
    assert_eq!(json(&kept.join("plan.json"))["part"]["reading"]["stays"], serde_json::json!([1]));
    let found = |dir: &Path, kind: &str| {
        let all = json(&dir.join("proof.json"));
        all["findings"].as_array().unwrap().iter().filter(|f| f["kind"] == kind).count()
    };
    assert!(found(&kept, "beside") == 1 && found(&free, "beside") == 0);
    // Programs that know nothing of it, with the pin in place, are found out from the folder alone.
    let mut mixed = json(&free.join("plan.json"));
    mixed["part"]["reading"]["stays"] = serde_json::json!([1]);
    std::fs::write(free.join("plan.json"), mixed.to_string()).unwrap();
    let o = goldchip(&["prove", path(&free)]);
    assert_eq!(o.status.code(), Some(3), "{}", String::from_utf8_lossy(&o.stdout));
    assert!(String::from_utf8_lossy(&o.stdout).contains("runs into 'solid 2' beside the part"));
    assert!(found(&free, "cutter_in_keep_out") > 0);
    let o = plan(&dir.path().join("bad"), &["--stays", "pin"]);
    assert_eq!(o.status.code(), Some(2));
    assert!(last_error(&o).contains("--stays pin is no number; write for example --stays 2"), "{}", last_error(&o));
}

/// A shop's book from a file: planned with, kept beside the plan, proved against; another one that cannot do it stops the proof; a book that makes no sense is refused.
#[test]
fn planned_with_another_shop() {
    let dir = tempfile::tempdir().unwrap();
    let (out, book) = (dir.path().join("lever"), dir.path().join("shop.json"));
    let mut shop = serde_json::to_value(shop::Shop::demo().unwrap()).unwrap();
    shop["machine"]["rpm_max"] = 2500.into();
    std::fs::write(&book, shop.to_string()).unwrap();
    let part = demo("shutter-lever");
    let o = goldchip(&["plan", path(&part), "--shop", path(&book), "--out", path(&out)]);
    assert_eq!(o.status.code(), Some(0), "{}{}", String::from_utf8_lossy(&o.stdout), last_error(&o));
    let fastest = |o: &Path| {
        let plan = json(&o.join("plan.json"));
        let texts = plan["setups"].as_array().unwrap().iter().map(|s| s["program"].as_str().unwrap().to_string());
        let text: String = texts.map(|p| std::fs::read_to_string(o.join(p)).unwrap()).collect();
        text.split_whitespace().filter_map(|w| w.strip_prefix('S')?.parse::<f64>().ok()).fold(0.0, f64::max)
    };
    assert!((2000.0..=2500.0).contains(&fastest(&out)), "{}", fastest(&out));
    assert_eq!(json(&out.join("shop.json"))["machine"]["rpm_max"], 2500.0);
    assert_eq!(goldchip(&["prove", path(&out)]).status.code(), Some(0));
    shop["machine"]["rpm_max"] = 1500.into();
    std::fs::write(&book, shop.to_string()).unwrap();
    let o = goldchip(&["prove", path(&out), "--shop", path(&book)]);
    assert_eq!(o.status.code(), Some(3));
    assert!(String::from_utf8_lossy(&o.stdout).contains("1500"), "{}", String::from_utf8_lossy(&o.stdout));
    let refused = |text: &str, word: &str| {
        std::fs::write(&book, text).unwrap();
        let o = goldchip(&["plan", path(&part), "--shop", path(&book), "--out", path(&out)]);
        assert!(o.status.code() == Some(2) && last_error(&o).contains(word), "{}", last_error(&o));
    };
    refused("{\n\"machine\": 1}", "line 2");
    shop["vise"]["clamp_kn"] = (-1).into();
    refused(&shop.to_string(), "above 0");
    let o = goldchip(&["plan", path(&part), "--shop", "/nowhere.json", "--out", path(&out)]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("cannot be read"), "{}", last_error(&o));
}

/// A thread by the command line: the question is listed with its answers, plan.json says what is cut, the folder is proved again, and what is changed in it is
/// found or refused.
#[test]
fn a_thread_is_asked_for_planned_and_proved_again() {
    let model = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reading/cord-post.step");
    let o = goldchip(&["questions", path(&model)]);
    let text = String::from_utf8_lossy(&o.stdout).into_owned();
    assert_eq!(o.status.code(), Some(0));
    let line =
        text.lines().find(|l| l.contains("hole/6.80/20.00/blind=tap M8\"")).expect("the thread is among the answers");
    let said = line.split('"').nth(1).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let out = dir.path().join("post");
    let plan = |more: &[&str]| {
        let mut args = vec!["plan", path(&model), "--answer", said, "--out", path(&out)];
        args.extend(more);
        goldchip(&args)
    };
    assert!(last_error(&plan(&["--answer", "made/M8=glue"])).contains("'tap', 'mill', 'ream' or 'hand'"));
    let o = plan(&[]);
    assert_eq!(o.status.code(), Some(0), "{}", String::from_utf8_lossy(&o.stdout));
    let file = json(&out.join("plan.json"));
    let t = &file["threads"][0];
    assert_eq!((t["major_mm"].as_f64(), t["pitch_mm"].as_f64()), (Some(8.0), Some(1.25)));
    assert!((t["minor_mm"].as_f64().unwrap() - 6.647).abs() < 1e-3 && t["place"]["min_mm"].is_array());
    let tools = file["setups"][0]["tools"].as_array().unwrap();
    let mill = tools.iter().find(|t| t["kind"] == "thread_mill").unwrap();
    assert!(mill["profile_mm"].as_array().unwrap().len() >= 4);
    assert_eq!(goldchip(&["prove", path(&out)]).status.code(), Some(0));
    // In quarters by R, in half turns in inch, in short straight moves it is the same thread.
    for control in ["production", "bench-inch", "increments"] {
        let other = dir.path().join(control);
        let o = goldchip(&["post", path(&out), "--dialect", control, "--out", path(&other)]);
        assert_eq!(o.status.code(), Some(0), "{control}: {}", String::from_utf8_lossy(&o.stdout));
    }
    // Every second height of the old control's helix a tenth of a pitch lower at its end: no thread any more.
    let old = dir.path().join("increments/1-cord-post.tap");
    let good = std::fs::read_to_string(&old).unwrap();
    let zeros: Vec<&str> = good.lines().filter(|l| l.contains(" Z") && l.contains(" X") && !l.contains("G0")).collect();
    assert!(zeros.len() > 200, "{}", zeros.len());
    let z = |l: &str| l.split_whitespace().find_map(|w| w.strip_prefix('Z')?.parse::<f64>().ok());
    let stretched: Vec<String> = good
        .lines()
        .map(|l| match z(l).filter(|_| zeros.contains(&l)) {
            Some(v) => l.replace(&format!("Z{v}"), &format!("Z{:.0}", v * 1.05)),
            None => l.to_string(),
        })
        .collect();
    std::fs::write(&old, stretched.join("\n")).unwrap();
    let o = goldchip(&["prove", path(&dir.path().join("increments"))]);
    assert_eq!(o.status.code(), Some(3));
    assert!(
        String::from_utf8_lossy(&o.stdout).contains("the helix has a pitch of"),
        "{}",
        String::from_utf8_lossy(&o.stdout)
    );
    // The helix is left out.
    let program = out.join("1-cord-post.ngc");
    let good = std::fs::read_to_string(&program).unwrap();
    let cut: Vec<&str> = good.lines().filter(|l| !l.contains('I') || l.starts_with('(')).collect();
    std::fs::write(&program, cut.join("\n")).unwrap();
    let o = goldchip(&["prove", path(&out)]);
    assert_eq!(o.status.code(), Some(3));
    assert!(String::from_utf8_lossy(&o.stdout).contains("No program cuts the thread M8"));
    std::fs::write(&program, good).unwrap();
    // A thread that is none.
    let mut bad = file;
    bad["threads"][0]["minor_mm"] = 9.0.into();
    std::fs::write(out.join("plan.json"), bad.to_string()).unwrap();
    let o = goldchip(&["prove", path(&out)]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("thread 'M8' has no size"), "{}", last_error(&o));
}
