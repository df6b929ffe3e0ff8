//! What the proof measures of roughing against what each stroke promises.

use job::{Settled, plan, prove_plan};
use part::Part;
use shop::Shop;
use std::path::Path;

/// On the demo parts at least half of the roughing meets what it promises within 15 %, and little is over.
#[test]
fn roughing_meets_what_it_promises() {
    let shop = Shop::demo().unwrap();
    let dir = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/parts");
    for name in ["encoder-bracket", "shutter-lever", "spider-plate", "worm-cover"] {
        let raw = intake::read_trusted(&dir.join(format!("{name}.step"))).unwrap().raw;
        let part = Part::from_raw(&raw).unwrap();
        let p = plan(&part, "p", &shop, &Settled::default()).unwrap().plan;
        let proof = prove_plan(&part, &p, &shop).unwrap();
        assert!(proof.passed() && proof.complete && proof.left.is_empty() && proof.left_mm3 == 0.0, "{name}");
        let rough = || proof.kept.iter().flatten().filter(|k| k.operation.starts_with("rough:"));
        let (all, near, over) = rough().fold((0.0, 0.0, 0.0), |s, k| (s.0 + k.all, s.1 + k.near, s.2 + k.over));
        println!("{name}: {:.1} m, {:.0} % near, {:.0} % over", all / 1000.0, 100.0 * near / all, 100.0 * over / all);
        assert!(all > 500.0, "{name}: {all}");
        assert!(near >= 0.5 * all, "{name}: {:.2}", near / all);
        assert!(over <= 0.2 * all, "{name}: {:.2}", over / all);
    }
}
