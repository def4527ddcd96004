//! Says how the program is linked.

fn main() {
    println!("cargo:rerun-if-changed=build.rs");
    let target = |part: &str| std::env::var(format!("CARGO_CFG_TARGET_{part}")).unwrap_or_default();
    // At a fixed place in memory. A program that can lie anywhere has its tables of addresses written anew at each start:
    // those of the typesetter alone fill a thousand pages, which took 7 of the 10 ms of a `vineloom --version`.
    if target("OS") == "linux" && target("ENV") == "gnu" {
        println!("cargo:rustc-link-arg-bins=-no-pie");
    }
}
