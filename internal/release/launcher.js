#!/usr/bin/env node
// Starts the program of this platform, which is in a package of its own.
"use strict";

const { spawn } = require("node:child_process");
const { constants } = require("node:os");

const name = `rinzel-${process.platform}-${process.arch}`;
const file = process.platform === "win32" ? "rinzel.exe" : "rinzel";

let program;
try {
  program = require.resolve(`${name}/${file}`);
} catch {
  console.error(`rinzel: the package ${name} is not installed.
Install again without leaving out optional dependencies. If node_modules comes from
another system, install on this one. There are programs for Linux, macOS and Windows,
on x64 and arm64.`);
  process.exit(2);
}

const child = spawn(program, process.argv.slice(2), { stdio: "inherit" });
for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"]) {
  process.on(signal, () => child.kill(signal)); // and wait until it ends
}
child.on("error", (err) => {
  console.error(`rinzel: ${program}: ${err.message}`);
  process.exit(2);
});
child.on("exit", (code, signal) => {
  process.exit(code ?? 128 + (constants.signals[signal] ?? 0));
});
