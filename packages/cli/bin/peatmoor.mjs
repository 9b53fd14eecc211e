#!/usr/bin/env node
import '../dist/client/peatmoor.js';
