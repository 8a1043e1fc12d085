#!/usr/bin/env -S node --single-threaded-gc
import '../dist/src/cli/main.js';
