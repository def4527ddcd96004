//! Says how the program is linked.

fn main() {
    println!("cargo:rerun-if-changed=build.rs");
    let target = |part: &str| std::env::var(format!("CARGO_CFG_TARGET_{part}")).unwrap_or_default();
    // At a fixed place in memory. A program that can lie anywhere has its tables of addresses written anew at each start:
    // they fill 600 pages, 1,000 where nothing is optimised, and took 1.6 of the 2.7 ms of a `vineloom --version`, 7 of 10
    // there.
    if target("OS") == "linux" && target("ENV") == "gnu" {
        println!("cargo:rustc-link-arg-bins=-no-pie");
    }
}
