#!/usr/bin/env bash
# The by-hand way to hand out: build each repository with plain git commands, then pack it.
# $1: folder; $2: how many; $3: the material (see by_hand_plant.sh).
set -euo pipefail
"$(dirname "$0")/by_hand_plant.sh" "$1" "$2" "$3"
for ((number = 0; number < $2; number++)); do
  tar czf "$1/$number.tar.gz" -C "$1" "$number"
  rm -rf "${1:?}/$number"
done
