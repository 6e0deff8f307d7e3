#!/usr/bin/env bash
# Installs what the tests need and runs every one of them.
source "$(dirname "${BASH_SOURCE[0]}")/install.sh"
need_node
need_debian 'postgresql=/usr/lib/postgresql/*/bin/initdb' 'chromium=/usr/bin/chromium' 'ffmpeg=/usr/bin/ffmpeg' 'sox=/usr/bin/sox' 'flac=/usr/bin/flac' \
  'unzip=/usr/bin/unzip' 'mediainfo=/usr/bin/mediainfo' 'curl=/usr/bin/curl' 'jq=/usr/bin/jq' \
  'p7zip-full=/usr/bin/7z' 'mpg123=/usr/bin/mpg123' 'qpdf=/usr/bin/qpdf' 'poppler-utils=/usr/bin/pdftotext' \
  'libxml2-utils=/usr/bin/xmllint' 'sndfile-programs=/usr/bin/sndfile-info' 'libimage-exiftool-perl=/usr/bin/exiftool' \
  'libgsf-bin=/usr/bin/gsf' 'xz-utils=/usr/bin/xz' 'firefox-esr=/usr/bin/firefox-esr' 'pulseaudio=/usr/bin/pulseaudio'
want_debian 'fluidsynth=/usr/bin/fluidsynth' 'timgm6mb-soundfont=/usr/share/sounds/sf2/TimGM6mb.sf2'
need_packages
need_readers
exec node_modules/.bin/tsx scripts/test.ts "$@"
