//! Writes the random family for tries by hand: `GOLDCHIP_FAMILY_DIR=/tmp/family GOLDCHIP_FAMILY=0..40 cargo test -p job --test all make_family`.
//! Without the variables it makes one part and checks that the same seed gives the same part.

use crate::family;
use crate::odd;

#[test]
fn the_same_seed_gives_the_same_part() {
    let v = family::part(3).unwrap().volume();
    assert_eq!(family::part(3).unwrap().volume(), v);
    assert_ne!(family::part(4).unwrap().volume(), v);
    let (Ok(dir), Ok(range)) = (std::env::var("GOLDCHIP_FAMILY_DIR"), std::env::var("GOLDCHIP_FAMILY")) else { return };
    crate::threads::block().write_step(&std::path::Path::new(&dir).join("threads.step")).unwrap();
    for (name, shape) in crate::surfaces::shapes() {
        shape.write_step(&std::path::Path::new(&dir).join(format!("{name}.step"))).unwrap();
    }
    let (a, b) = range.split_once("..").expect("a range such as 0..40");
    for seed in a.parse::<u64>().unwrap()..b.parse().unwrap() {
        if let Ok(p) = odd::part(seed) {
            p.write_step(&std::path::Path::new(&dir).join(format!("odd{seed:03}.step"))).unwrap();
        }
        match family::part(seed) {
            Ok(p) => p.write_step(&std::path::Path::new(&dir).join(format!("f{seed:03}.step"))).unwrap(),
            Err(e) => println!("{seed}: {e}"),
        }
    }
}
