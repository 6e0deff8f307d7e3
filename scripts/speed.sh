#!/usr/bin/env bash
# Measures Stemzo beside independent tools and prints the ratios. See docs/speed.md.
source "$(dirname "${BASH_SOURCE[0]}")/install.sh"
need_node
need_debian 'ffmpeg=/usr/bin/ffmpeg' 'sox=/usr/bin/sox' 'postgresql=/usr/lib/postgresql/*/bin/initdb' 'chromium=/usr/bin/chromium'
need_packages
exec node_modules/.bin/tsx scripts/speed.ts "$@"
