//! Programs for other controls by the command line: listed, written, proved, told line by line, refused.

use super::*;

/// A block whose top is faced and that has a round pocket, a drilled and a stopped program, by hand.
fn by_hand(dir: &Path) {
    use kernel::shape::Shape;
    let block = Shape::block([0.0; 3], [30.0, 20.0, 8.0]).unwrap();
    let pocket = Shape::cylinder([15.0, 10.0, 5.0], [0.0, 0.0, 1.0], 6.0, 10.0).unwrap();
    let hole = Shape::cylinder([4.0, 4.0, -1.0], [0.0, 0.0, 1.0], 1.5, 20.0).unwrap();
    block.cut(&pocket).unwrap().cut(&hole).unwrap().write_step(&dir.join("b.step")).unwrap();
    let text = "(BLOCK)\n(LENGTHS IN MM)\nG21 G90 G17\nG53 G0 Z0\nT1 M6\nG53 G0 Z0\nS3000 M3\nG0 X-25 Y10\nG43 H1 Z20\nG0 Z8\nG1 X55 F300\n\
        G0 Z20\nG53 G0 Z0\nM5\n(STOP: LOOK)\nM0\nT2 M6\nG53 G0 Z0\nS4000 M3\nG0 X18 Y10\nG43 H2 Z20\nZ8.5\nG1 Z8 F200\nG3 X18 Y10 Z6.5 I-3 J0\nG3 X18 Y10 Z5 I-3 J0\n\
        G3 X18 Y10 I-3 J0\nG0 Z20\nG53 G0 Z0\nM5\nT3 M6\nG53 G0 Z0\nS3000 M3\nG0 X4 Y4\nG43 H3 Z20\nG98 G83 X4 Y4 Z-2 R9 Q3 F150\nG80\nG53 G0 Z0\nM5\nM30\n";
    std::fs::write(dir.join("p.ngc"), text).unwrap();
    let tool = |number: u32, kind: &str, d: f64, point: f64| {
        serde_json::json!({"number": number, "kind": kind, "diameter_mm": d, "corner_radius_mm": 0.0, "tip_diameter_mm": 0.0,
            "point_angle_deg": point, "flute_length_mm": 20, "shank_diameter_mm": d, "stickout_mm": 30, "holder": [], "centre_cutting": true})
    };
    let plan = serde_json::json!({
        "part": {"file": "b.step"}, "material": "brass",
        "stock": {"min_mm": [0, 0, 0], "max_mm": [30, 20, 9]},
        "setups": [{"name": "only", "program": "p.ngc", "part_from_work": [1,0,0,0, 0,1,0,0, 0,0,1,0, 0,0,0,1],
            "zero_in_machine_mm": [200, 100, -300],
            "tools": [tool(1, "face", 40.0, 0.0), tool(2, "flat", 6.0, 0.0), tool(3, "drill", 3.0, 118.0)], "keep_out": []}]
    });
    std::fs::write(dir.join("plan.json"), plan.to_string()).unwrap();
}

fn proof(dir: &Path) -> Value {
    serde_json::from_str(&std::fs::read_to_string(dir.join("proof.json")).unwrap()).unwrap()
}

#[test]
fn a_plan_is_written_for_every_control_and_proved_from_its_text() {
    let dir = tempfile::tempdir().unwrap();
    let from = dir.path().join("plan");
    std::fs::create_dir_all(&from).unwrap();
    by_hand(&from);
    let o = goldchip(&["prove", path(&from)]);
    assert_eq!(o.status.code(), Some(0), "{}{}", said(&o), last_error(&o));
    let own = proof(&from);
    assert!(own["complete"] == true && own["gouge_mm"].as_f64().unwrap() < 0.002, "{own}");
    let names = said(&goldchip(&["dialects"]));
    let names: Vec<&str> = names.lines().collect();
    assert!(names.len() >= 5 && names.iter().all(|n| !n.contains(' ')), "{names:?}");
    for name in &names {
        let out = dir.path().join(name);
        let o = goldchip(&["post", path(&from), "--dialect", name, "--out", path(&out)]);
        assert_eq!(o.status.code(), Some(0), "{name}: {}{}", said(&o), last_error(&o));
        // By itself it is proved too, and a person can have it told.
        assert_eq!(goldchip(&["prove", path(&out)]).status.code(), Some(0), "{name}");
        let p = proof(&out);
        assert!(p["complete"] == true && p["gouge_mm"].as_f64().unwrap() < 0.01, "{name}: {p}");
        let (a, b) = (own["minutes"].as_f64().unwrap(), p["minutes"].as_f64().unwrap());
        assert!((a - b).abs() < 0.5, "{name}: {a} and {b} min");
        let plan: Value = serde_json::from_str(&std::fs::read_to_string(out.join("plan.json")).unwrap()).unwrap();
        assert_eq!(plan["dialect"]["id"], **name);
        let file = out.join(plan["setups"][0]["program"].as_str().unwrap());
        let o = goldchip(&["read", path(&file), "--dialect", name]);
        let told = said(&o);
        assert_eq!(o.status.code(), Some(0), "{name}: {}", last_error(&o));
        assert!(told.contains("to X55") && told.contains("mm/min") && told.contains("at rapid"), "{name}: {told}");
    }
    // On paper: a PDF of one setup, and its cutters as a table.
    let (sheet, tools) = (dir.path().join("s.pdf"), dir.path().join("t.csv"));
    let o = goldchip(&["sheet", path(&from), "--out", path(&sheet), "--tools", path(&tools), "--paper", "letter"]);
    assert_eq!(o.status.code(), Some(0), "{}", last_error(&o));
    assert!(std::fs::read(&sheet).unwrap().starts_with(b"%PDF-"));
    let table = std::fs::read_to_string(&tools).unwrap();
    assert!(table.lines().count() == 4 && table.contains("only,p.ngc,3,drill Ø3,3,20,30,"), "{table}");
    let o = goldchip(&["sheet", path(&from), "--out", path(&sheet), "--paper", "foolscap"]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("a4 and letter"));
    // A text that was changed since it was proved is proved again: the sheet cannot say more than the text does.
    let program = from.join("p.ngc");
    let good = std::fs::read_to_string(&program).unwrap();
    let words = |file: &Path| pdf_extract::extract_text(file).unwrap();
    goldchip(&["sheet", path(&from), "--out", path(&sheet)]);
    assert!(words(&sheet).contains("proved") && !words(&sheet).contains("DO NOT CUT"));
    std::fs::write(&program, good.replace("Z5 I-3", "Z4 I-3")).unwrap();
    assert_eq!(goldchip(&["sheet", path(&from), "--out", path(&sheet)]).status.code(), Some(0));
    assert!(words(&sheet).contains("DO NOT CUT"), "{}", words(&sheet));
    std::fs::write(&program, good).unwrap();
    // A wrong number in the old control's increments: 8.2 instead of 8 is left, 4.8 instead of 5 is dug.
    let out = dir.path().join("increments");
    let file = out.join("p.tap");
    let good = std::fs::read_to_string(&file).unwrap();
    for (was, is, kind) in [("Z5000", "Z4800", "gouge"), ("Z8000", "Z8200", "leftover")] {
        let bad = good.replace(&format!("{was}\n"), &format!("{is}\n")).replace(&format!("{was} "), &format!("{is} "));
        assert_ne!(bad, good);
        std::fs::write(&file, bad).unwrap();
        let o = goldchip(&["prove", path(&out)]);
        let p = proof(&out);
        assert!(p[format!("{kind}_mm")].as_f64().unwrap() > 0.19, "{kind}: {}", said(&o));
        assert!(kind == "leftover" || o.status.code() == Some(3), "{}", said(&o));
    }
    // Written as RS-274 with points it is other than meant, and as no program of that control refused with its line.
    std::fs::write(&file, good.replace("T2", "T2\nM77")).unwrap();
    let o = goldchip(&["prove", path(&out)]);
    assert!(
        o.status.code() == Some(2) && last_error(&o).contains("M77") && last_error(&o).contains("line "),
        "{}",
        last_error(&o)
    );
    std::fs::write(&file, good).unwrap();
    // A plan that names a control that nobody knows.
    let text = std::fs::read_to_string(from.join("plan.json")).unwrap();
    let mut plan: Value = serde_json::from_str(&text).unwrap();
    plan["dialect"] = "none-such".into();
    std::fs::write(from.join("plan.json"), plan.to_string()).unwrap();
    let o = goldchip(&["prove", path(&from)]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("production"), "{}", last_error(&o));
}

/// Faults at the machine: what each spoils is known beforehand, for the part is a block with a pocket and a hole.
#[test]
fn what_if_tells_what_is_spoiled_and_what_would_catch_it() {
    let dir = tempfile::tempdir().unwrap();
    by_hand(dir.path());
    let o = goldchip(&["what-if", path(dir.path())]);
    assert_eq!(o.status.code(), Some(0), "{}", last_error(&o));
    let rows: Value = serde_json::from_str(&std::fs::read_to_string(dir.path().join("what-if.json")).unwrap()).unwrap();
    let row = |fault: &str| {
        let all = rows.as_array().unwrap();
        let found = all.iter().find(|r| r["fault"].as_str().unwrap().contains(fault));
        found.unwrap_or_else(|| panic!("{fault}: {rows:#}")).clone()
    };
    let says = |fault: &str, what: &str| {
        let r = row(fault);
        assert!(r["spoiled"].as_str().unwrap().contains(what), "{fault}: {r}");
        assert!(!r["caught_by"].as_str().unwrap().is_empty(), "{r}");
        r
    };
    let deep = says("T1 is 1 mm longer", "1.00 mm too deep");
    assert!(deep["line"] == 11 && deep["proposed"] == true && deep["minute"].as_f64().unwrap() > 0.0, "{deep}");
    // The top stays a millimetre too high, and the next cutter comes down at rapid to half a millimetre above where it should be.
    assert_eq!(says("T1 is 1 mm shorter", "A rapid move runs through stock")["line"], 22);
    says("T2 is 1 mm longer", "A rapid move runs through stock");
    says("flat end mill Ø8 in the holder of T2", "1.00 mm too deep");
    says("X0 is off by +0.5", "0.50 mm too deep");
    says("Z0 is off by -0.5", "0.50 mm too deep");
    says("lies on a chip", "0.10 mm too deep");
    // Harmless: a block turned by half a turn before anything is cut; a through hole that goes deeper still.
    for fault in ["half a turn", "T3 is 1 mm longer"] {
        let r = row(fault);
        assert!(r["gravity"] == 0 && r["spoiled"] == "nothing" && r["proposed"] == false, "{r}");
    }
    assert!(said(&o).contains("harmless") && said(&o).contains("no check yet; proposed"));
    // What is not proved has nothing to compare with.
    let file = dir.path().join("p.ngc");
    let text = std::fs::read_to_string(&file).unwrap();
    std::fs::write(&file, text.replace("Z5 I-3", "Z4 I-3")).unwrap();
    let o = goldchip(&["what-if", path(dir.path())]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("not proved"), "{}", last_error(&o));
}

#[test]
fn what_cannot_be_is_refused_with_what_to_do() {
    let dir = tempfile::tempdir().unwrap();
    by_hand(dir.path());
    let d = path(dir.path());
    let inside = dir.path().join("x");
    for (args, says) in [
        (vec!["post", d, "--dialect", "bench"], "--out DIR is missing"),
        (vec!["post", d, "--out", "/tmp/x"], "goldchip dialects"),
        (vec!["post", d, "--dialect", "bench", "--out", d], "own folder"),
        (vec!["post", d, "--dialect", "bench", "--out", path(&inside)], "own folder"),
        (vec!["post", d, "--dialect", "best", "--out", "/tmp/x"], "there are bench"),
        (vec!["read", "--dialect", "bench"], "no program is given"),
        (vec!["read", "/none/such.nc", "--dialect", "bench"], "cannot be read"),
        (vec!["plan", d, "--dialect", "best", "--out", "/tmp/x"], "there are bench"),
    ] {
        let o = goldchip(&args);
        assert_eq!(o.status.code(), Some(2), "{args:?}");
        assert!(last_error(&o).contains(says), "{args:?}: {}", last_error(&o));
    }
    // A text of unknown origin: told, what is not published marked, and refused with line and reason.
    let file = dir.path().join("found.nc");
    let text =
        "G21 G90 F200\n#1 = 1\nWHILE [#1 LE 3] DO1\nG1 X[#1 * 10] (STEP)\n#1 = [#1 + 1]\nEND1\nG2 X40 Y10 R10\nM30\n";
    std::fs::write(&file, text).unwrap();
    let o = goldchip(&["read", path(&file), "--dialect", "bench"]);
    let told = said(&o);
    assert_eq!(o.status.code(), Some(0), "{}", last_error(&o));
    assert!(told.contains("to X30 Y0") && told.contains("line 3: WHILE is not in RS-274 as published"), "{told}");
    assert!(told.contains("90° around") || told.contains("-90° around"), "{told}");
    std::fs::write(&file, text.replace("G2 X40", "G2.4 X40")).unwrap();
    let o = goldchip(&["read", path(&file), "--dialect", "bench"]);
    assert!(o.status.code() == Some(2) && last_error(&o).contains("line 7: G2.4"), "{}", last_error(&o));
    // Without an end it is told so.
    std::fs::write(&file, "G0 X1\n").unwrap();
    assert!(said(&goldchip(&["read", path(&file), "--dialect", "bench"])).contains("no end"));
}
