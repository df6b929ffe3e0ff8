#!/usr/bin/env bash
# What becomes of real files on the command line: plans.sh GOLDCHIP FOLDER. A row of a table for each file of one solid under 200 mm.
set -uo pipefail
goldchip=$1 folder=$2 out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
echo "| file | mm | what becomes of it | min | first of what is against it |"
echo "|---|---|---|---|---|"
find "$folder" \( -iname '*.stp' -o -iname '*.step' \) | sort | while read -r file; do
  rm -rf "$out/plan"
  timeout 400 "$goldchip" plan "$file" --out "$out/plan" >"$out/log" 2>"$out/error"
  code=$?
  size=$(sed -n 's/^part \([0-9.]*\) x \([0-9.]*\) x \([0-9.]*\) mm.*/\1 × \2 × \3/p' "$out/log")
  [ "$code" -eq 2 ] && continue
  large=$(echo "$size" | tr '×' '\n' | awk '$1 > 200' | wc -l)
  [ "$large" -gt 0 ] && continue
  said=$(grep -E '^(proved|not proved)' "$out/log" | head -n 1)
  minutes=$(echo "$said" | sed -n 's/.*, \([0-9.]*\) min$/\1/p')
  verdict=$(echo "$said" | sed 's/: gouge.*//; s/, [0-9.]* cm³ left//')
  [ "$code" -eq 124 ] && verdict="longer than 400 s"
  against=$(grep -E '^(stop|warn)' "$out/log" | head -n 1 | cut -c1-150 | tr '|' '/')
  echo "| $(basename "$(dirname "$file")")/$(basename "$file") | $size | $verdict | $minutes | $against |"
done
