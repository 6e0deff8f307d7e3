"""Reads session files with libraries that are not ours and says what is in them, as JSON on standard output.

Usage: read_sessions.py KIND FILE... ; KIND is aaf, otio, adl, dawproject or midi. Places are frames of the track's own
rate, gains are factors as they stand in the file. ADL and DAWproject have no library: they are read here by their texts.
"""
import json
import re
import sys
import xml.etree.ElementTree as ET
import zipfile
from fractions import Fraction
from urllib.parse import unquote, urlsplit


def aaf(path):
    import aaf2

    with aaf2.open(path, "r") as f:
        [comp] = list(f.content.toplevel())
        tracks, markers, start = [], [], None
        for slot in comp.slots:
            segment = slot.segment
            kind = type(segment).__name__
            if type(slot).__name__ == "EventMobSlot":
                for e in segment.components:
                    markers.append({"frame": e["Position"].value, "name": e["Comment"].value})
                continue
            if kind == "Timecode":
                start = {"start": segment["Start"].value, "fps": segment["FPS"].value, "rate": float(slot.edit_rate)}
                continue
            track = {"name": slot.name, "rate": float(slot.edit_rate), "clips": [], "ops": []}
            while type(segment).__name__ == "OperationGroup":
                track["ops"].append(operation(segment))
                segment = list(segment.segments)[0]
            at = 0
            before = None
            for c in segment.components:
                name = type(c).__name__
                if name == "Transition":
                    at -= c.length
                    track["clips"][-1]["fadeOut"] = c.length
                    before = c.length
                    continue
                if name != "Filler":
                    track["clips"].append(aaf_clip(f, c, at, before))
                before = None
                at += c.length
            track["length"] = segment.length
            assert at == segment.length, (path, at, segment.length)
            tracks.append(track)
        media = {}
        for mob in f.content.mastermobs():
            source = list(mob.slots)[0].segment.mob
            d = source.descriptor
            locators = [l["URLString"].value for l in d.locator] if "Locator" in d else []
            essence = source.essence
            entry = {
                "name": mob.name,
                "length": d.length,
                "rate": float(d["SampleRate"].value),
                "sha256": dict(mob.comments.items()).get("SHA-256"),
                "url": unquote(locators[0]) if locators else None,
                "absolute": [[urlsplit(u).netloc, unquote(urlsplit(u).path)] for u in locators[1:]],
            }
            if essence is not None:
                import hashlib

                h = hashlib.sha256()
                stream = essence.open("r")
                for part in iter(lambda: stream.read(1 << 20), b""):
                    h.update(part)
                entry["essence"] = h.hexdigest()
            media[str(mob.mob_id)] = entry
        return {"name": comp.name, "tracks": tracks, "markers": markers, "timecode": start, "media": list(media.values())}


def value(v):
    return float(Fraction(v.numerator, v.denominator))


def operation(group):
    [parameter] = list(group.parameters)
    made = {"op": group.operation.name, "length": group.length}
    if type(parameter).__name__ == "ConstantValue":
        made["value"] = value(parameter.value)
    else:
        made["points"] = [[value(p["Time"].value), value(p["Value"].value)] for p in parameter.pointlist]
        made["interpolation"] = parameter.interpolationdef.name
    return made


def aaf_clip(f, c, at, shared):
    gain = 1.0
    if type(c).__name__ == "OperationGroup":
        gain = operation(c)["value"]
        length = c.length
        c = list(c.segments)[0]
        assert c.length == length
    fade = lambda name: c[name].value if name in c else 0
    name = None
    if "UserComments" in c:
        name = {t.name: t.value for t in c["UserComments"].value}.get("Clip name")
    return {
        "start": at,
        "frames": c.length,
        "offset": c.start,
        "gain": gain,
        "fadeIn": shared if shared is not None else fade("FadeInLength"),
        "fadeOut": fade("FadeOutLength"),
        "media": c.mob.name,
        "name": name if name is not None else c.mob.name,
    }


def otio(path):
    import opentimelineio as o

    timeline = o.adapters.read_from_file(path)
    tracks = []
    for t in timeline.tracks:
        clips = []
        items = list(t)
        for i, c in enumerate(items):
            if not isinstance(c, o.schema.Clip):
                continue
            r = c.trimmed_range_in_parent()
            before = items[i - 1] if i > 0 else None
            after = items[i + 1] if i + 1 < len(items) else None
            reach_in = before.in_offset.value if isinstance(before, o.schema.Transition) else 0
            reach_out = after.out_offset.value if isinstance(after, o.schema.Transition) else 0
            whole_in = reach_in + before.out_offset.value if isinstance(before, o.schema.Transition) else None
            whole_out = reach_out + after.in_offset.value if isinstance(after, o.schema.Transition) else None
            own = c.metadata.get("stemzo", {})
            ref = c.media_reference
            clips.append(
                {
                    "start": r.start_time.value - reach_in,
                    "frames": r.duration.value + reach_in + reach_out,
                    "offset": c.source_range.start_time.value - reach_in,
                    "rate": r.start_time.rate,
                    "name": c.name,
                    "fadeIn": whole_in,
                    "fadeOut": whole_out,
                    "gainDb": own.get("gainDb"),
                    "url": unquote(ref.target_url),
                    "length": ref.available_range.duration.value,
                    "sha256": ref.metadata.get("stemzo", {}).get("sha256"),
                }
            )
        tracks.append({"name": t.name, "enabled": t.enabled, "clips": clips})
    markers = [{"name": m.name, "frame": m.marked_range.start_time.value} for m in timeline.tracks.markers]
    start = timeline.global_start_time
    return {"name": timeline.name, "tracks": tracks, "markers": markers, "start": start.value if start else 0}


def adl(path):
    lines = open(path, encoding="utf-8", newline="").read().split("\r\n")
    say = {}
    for line in lines:
        m = re.match(r"\s*\((\w+)\)\s+(.*)", line)
        if m:
            say.setdefault(m.group(1), []).append(m.group(2).split("\t"))
    rate = int(say["SEQ_SAMPLE_RATE"][0][0][1:])
    fps = Fraction(say["SEQ_FRAME_RATE"][0][0])

    def frames(text):
        h, m, s, f, n = (int(x) for x in re.match(r"(\d+):(\d\d):(\d\d):(\d\d)/(\d+)$", text).groups())
        return int((((h * 60 + m) * 60 + s) * fps + f) * rate / fps) + n

    sources = {}
    for (number, kind, url, umid, start, length, name, n) in say.get("Index", []):
        sources[number] = {"url": unquote(url.strip('"')), "start": frames(start), "length": frames(length)}
    names = {int(n): name.strip('"') for n, name in say.get("Track", [])}
    zero = frames(say["SEQ_DEST_START"][0][0])
    clips, last = [], None
    for line in lines:
        words = [w for w in line.strip().split("\t") if w]
        if not words:
            continue
        if words[0] == "(Cut)":
            _, _, source, channels, track, begin, dest, end, _ = words
            last = {
                "url": sources[source]["url"],
                "length": sources[source]["length"],
                "channels": channels,
                "track": int(track.split("~")[0]),
                "name": None,
                "start": frames(dest) - zero,
                "frames": frames(end) - frames(dest),
                "offset": frames(begin) - sources[source]["start"],
                "fadeIn": 0,
                "fadeOut": 0,
                "gainDb": 0,
            }
            clips.append(last)
        elif words[0] == "(Infade)":
            last["fadeIn"] = frames(words[1])
        elif words[0] == "(Outfade)":
            last["fadeOut"] = frames(words[1])
        elif words[0] == "(Gain)":
            last["gainDb"] = float(words[2])
        elif words[0] == "(Rem)":
            last["name"] = words[2].strip('"')
    return {"rate": rate, "start": zero, "tracks": names, "clips": clips}


def dawproject(path):
    with zipfile.ZipFile(path) as z:
        assert z.testzip() is None
        root = ET.fromstring(z.read("project.xml"))
        files = {i.filename: i.file_size for i in z.infolist()}
    seconds = lambda text: Fraction(float(text))
    tracks, ids = [], {}

    def walk(parent, group):
        for t in parent.findall("Track"):
            channel = t.find("Channel")
            ids[t.get("id")] = {
                "name": t.get("name"),
                "content": t.get("contentType"),
                "role": channel.get("role"),
                "volume": float(channel.find("Volume").get("value")),
                "pan": float(channel.find("Pan").get("value")),
                "mute": channel.find("Mute").get("value") == "true",
                "group": group,
                "sends": [
                    {"type": s.get("type"), "volume": float(s.find("Volume").get("value"))}
                    for s in (channel.find("Sends") or [])
                ],
                "clips": [],
                "notes": [],
                "lanes": [],
            }
            walk(t, t.get("name"))
            tracks.append(ids[t.get("id")])

    walk(root.find("Structure"), None)
    arrangement = root.find("Arrangement")
    for lanes in arrangement.find("Lanes").findall("Lanes"):
        track = ids[lanes.get("track")]
        for clips in lanes.findall("Clips"):
            for c in clips.findall("Clip"):
                notes = c.find("Notes")
                if notes is not None:
                    zero = Fraction(float(c.get("time")))
                    for n in notes:
                        track["notes"].append(
                            [
                                round((zero + Fraction(float(n.get("time")))) * 960),
                                round(Fraction(float(n.get("duration"))) * 960),
                                int(n.get("key")),
                                round(float(n.get("vel")) * 127),
                            ]
                        )
                    continue
                audio = c.find(".//Audio")
                rate = int(audio.get("sampleRate"))
                gain = c.find(".//RealPoint")
                at = lambda name: round(seconds(c.get(name) or 0) * rate)
                file = audio.find("File").get("path")
                track["clips"].append(
                    {
                        "start": at("time"),
                        "frames": at("duration"),
                        "offset": at("playStart"),
                        "fadeIn": at("fadeInTime"),
                        "fadeOut": at("fadeOutTime"),
                        "gain": float(gain.get("value")) if gain is not None else 1.0,
                        "name": c.get("name"),
                        "file": file,
                        "there": file in files,
                        "length": round(seconds(audio.get("duration")) * rate),
                    }
                )
        for points in lanes.findall("Points"):
            track["lanes"].append(len(points) - 1)
    tempo = [
        [round(Fraction(float(p.get("time"))) * 960), float(p.get("value")), p.get("interpolation")]
        for p in (arrangement.find("TempoAutomation") or [])
        if p.tag == "RealPoint"
    ]
    return {"tracks": tracks, "tempo": tempo, "markers": [m.get("name") for m in arrangement.iter("Marker")]}


def midi(path):
    import mido

    file = mido.MidiFile(path, charset="utf-8")
    tracks, tempo = [], []
    for t in file.tracks:
        at, open_notes, notes = 0, {}, []
        for m in t:
            at += m.time
            if m.type == "set_tempo":
                tempo.append([at, m.tempo])
            elif m.type == "note_on" and m.velocity > 0:
                open_notes.setdefault(m.note, []).append((at, m.velocity))
            elif m.type in ("note_off", "note_on"):
                began, velocity = open_notes[m.note].pop(0)
                notes.append([began, at - began, m.note, velocity])
        assert not any(open_notes.values())
        tracks.append({"name": t.name, "notes": sorted(notes)})
    return {"division": file.ticks_per_beat, "tracks": tracks, "tempo": tempo}


READERS = {"aaf": aaf, "otio": otio, "adl": adl, "dawproject": dawproject, "midi": midi}

if __name__ == "__main__":
    read = READERS[sys.argv[1]]
    json.dump([read(path) for path in sys.argv[2:]], sys.stdout)
