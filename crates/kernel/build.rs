//! Builds the OpenCASCADE shim. Debian's packages carry no pkg-config file; headers and libraries are on fixed paths.
fn main() {
    let include = std::env::var("OCCT_INCLUDE").unwrap_or_else(|_| "/usr/include/opencascade".into());
    assert!(
        std::path::Path::new(&include).join("STEPControl_Reader.hxx").exists(),
        "OpenCASCADE headers are missing at {include}: run ./check or ./start, which install libocct-data-exchange-dev, or set OCCT_INCLUDE"
    );
    cxx_build::bridge("src/bridge.rs")
        .files(["close", "make", "mesh", "read"].map(|f| format!("shim/{f}.cpp")))
        .include(&include)
        .flag_if_supported("-std=c++17")
        .flag_if_supported("-Wno-deprecated-declarations")
        .opt_level(2)
        .compile("goldchip-occt");
    for lib in [
        "TKSTEP",
        "TKSTEPBase",
        "TKSTEPAttr",
        "TKXSBase",
        "TKShHealing",
        "TKMesh",
        "TKOffset",
        "TKFillet",
        "TKBO",
        "TKBool",
        "TKPrim",
        "TKTopAlgo",
        "TKGeomAlgo",
        "TKBRep",
        "TKGeomBase",
        "TKG3d",
        "TKG2d",
        "TKMath",
        "TKernel",
    ] {
        println!("cargo:rustc-link-lib=dylib={lib}");
    }
    println!("cargo:rerun-if-changed=shim");
    println!("cargo:rerun-if-changed=src/bridge.rs");
    println!("cargo:rerun-if-env-changed=OCCT_INCLUDE");
}
