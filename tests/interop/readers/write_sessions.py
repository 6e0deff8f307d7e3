"""Writes session files with libraries that are not ours, in shapes that other programs write, and says what is in them.

Usage: write_sessions.py KIND FOLDER COUNT SEED ; KIND is aaf, otio or midi. On standard output: one object a file, with
its path and its clips in frames of 48000 a second, as the library itself tells them.
"""
import json
import os
import random
import sys
import wave

RATE = 48000


def wav(path, frames, channels, seed):
    r = random.Random(seed)
    with wave.open(path, "wb") as w:
        w.setnchannels(channels)
        w.setsampwidth(2)
        w.setframerate(RATE)
        w.writeframes(r.randbytes(frames * channels * 2))


def aaf(folder, n, r):
    import aaf2
    from aaf2.rational import AAFRational

    path = os.path.join(folder, "%d.aaf" % n)
    shape = ["embedded", "linked", "pairs", "pictures", "missing"][n % 5]
    rate = AAFRational(25, 1) if shape == "pictures" else AAFRational(RATE, 1)
    unit = RATE // 25 if shape == "pictures" else 1
    told = {"path": path, "shape": shape, "tracks": []}
    with aaf2.open(path, "w") as f:
        gain_def = f.create.OperationDef("9d2ea894-0968-11d3-8a38-0050040ef7d2", "Mono Audio Gain")
        gain_def.media_kind = "sound"
        gain_def["NumberInputs"].value = 1
        gain_def["IsTimeWarp"].value = False
        f.dictionary.register_def(gain_def)
        amplitude = f.create.ParameterDef("e4962321-2267-11d3-8a4c-0050040ef7d2", "Amplitude", "", "Rational")
        f.dictionary.register_def(amplitude)
        other = f.create.OperationDef("1575e350-fca3-11d2-8a2a-0050040ef7d2", "Somebody's equaliser")
        other.media_kind = "sound"
        other["NumberInputs"].value = 1
        other["IsTimeWarp"].value = False
        f.dictionary.register_def(other)
        dissolve = f.create.OperationDef("0c3bea41-fc05-11d2-8a29-0050040ef7d2", "Mono Audio Dissolve")
        dissolve.media_kind = "sound"
        dissolve["NumberInputs"].value = 2
        dissolve["IsTimeWarp"].value = False
        f.dictionary.register_def(dissolve)

        masters = []
        for k in range(r.randint(1, 3)):
            frames = r.randint(3, 8) * RATE // 10
            channels = 2 if shape == "pairs" else 1
            name = "take %d" % k
            sound = os.path.join(folder, "%d-%s.wav" % (n, name))
            wav(sound, frames, channels, n * 10 + k)
            master = f.create.MasterMob(name)
            f.content.mobs.append(master)
            if shape in ("embedded", "pictures"):
                master.import_audio_essence(sound, AAFRational(RATE, 1))
            else:
                source = f.create.SourceMob(name)
                descriptor = f.create.PCMDescriptor()
                descriptor["SampleRate"].value = RATE
                descriptor["AudioSamplingRate"].value = RATE
                descriptor["Channels"].value = channels
                descriptor["AverageBPS"].value = RATE * 2 * channels
                descriptor["QuantizationBits"].value = 16
                descriptor["BlockAlign"].value = 2 * channels
                descriptor["Length"].value = frames
                locator = f.create.NetworkLocator()
                locator["URLString"].value = "file:///Volumes/Disk%201/" + os.path.basename(sound).replace(" ", "%20")
                descriptor["Locator"].append(locator)
                source.descriptor = descriptor
                f.content.mobs.append(source)
                for c in range(channels):
                    s = source.create_timeline_slot(RATE)
                    nothing = f.create.SourceClip(media_kind="sound")
                    nothing.length = frames
                    s.segment = nothing
                    m = master.create_timeline_slot(RATE)
                    m.segment = source.create_source_clip(s.slot_id, 0, frames, "sound")
            masters.append((master, frames, name, os.path.basename(sound)))

        comp = f.create.CompositionMob("Other %d" % n)
        comp.usage = "Usage_TopLevel"
        f.content.mobs.append(comp)
        for t in range(r.randint(1, 3)):
            slot = comp.create_timeline_slot(rate)
            slot.name = "Track %d" % t
            sequence = f.create.Sequence("sound")
            clips, at, before = [], 0, None
            for c in range(r.randint(1, 5)):
                master, frames, name, sound = r.choice(masters)
                slots = [s for s in master.slots]
                pick = r.choice(slots)
                whole = frames // unit
                length = r.randint(max(2, whole // 3), whole)
                start = r.randint(0, whole - length)
                shared = 0
                gap = r.choice([0, 0, r.randint(1, 20)])
                if before and gap == 0 and r.random() < 0.5:
                    shared = r.randint(1, max(1, min(before, length) // 3))
                    transition = f.create.Transition("sound", shared)
                    group = f.create.OperationGroup(dissolve, shared)
                    group.media_kind = "sound"
                    transition["OperationGroup"].value = group
                    transition["CutPoint"].value = shared // 2
                    sequence.components.append(transition)
                    clips[-1]["fadeOut"] = shared * unit
                    at -= shared
                elif gap:
                    sequence.components.append(f.create.Filler("sound", gap))
                    at += gap
                clip = master.create_source_clip(pick.slot_id, start, length, "sound")
                if shape == "missing" and r.random() < 0.4:
                    clip.mob_id = aaf2.mobid.MobID.new()
                    name, sound = None, None
                segment, gain = clip, 1.0
                for _ in range(r.choice([0, 0, 1, 2])):
                    group = f.create.OperationGroup(r.choice([gain_def, other]), length)
                    group.media_kind = "sound"
                    if group.operation == gain_def:
                        value = AAFRational(r.randint(1, 4000), 1000)
                        gain *= float(value)
                        group.parameters.append(f.create.ConstantValue(amplitude, value))
                    group.segments.append(segment)
                    segment = group
                sequence.components.append(segment)
                clips.append(
                    {
                        "start": at * unit,
                        "frames": length * unit,
                        "offset": start * unit,
                        "gain": gain,
                        "fadeIn": shared * unit,
                        "fadeOut": 0,
                        "name": name,
                        "file": sound,
                        "channel": slots.index(pick) if shape == "pairs" else None,
                    }
                )
                at += length
                before = length - shared
            sequence.length = at
            slot.segment = sequence
            told["tracks"].append({"name": slot.name, "clips": clips})
    # What the library reads back of the places is what counts.
    with aaf2.open(path, "r") as f:
        [comp] = list(f.content.toplevel())
        for slot, track in zip(comp.slots, told["tracks"]):
            at, starts = 0, []
            for c in slot.segment.components:
                if type(c).__name__ == "Transition":
                    at -= c.length
                    continue
                if type(c).__name__ != "Filler":
                    starts.append(at * unit)
                at += c.length
            assert starts == [c["start"] for c in track["clips"]]
    return told


def otio(folder, n, r):
    import opentimelineio as o

    rate = [24, 25, 48000, 30000 / 1001][n % 4]
    T = lambda v: o.opentime.RationalTime(v, rate)
    R = lambda a, b: o.opentime.TimeRange(T(a), T(b))
    timeline = o.schema.Timeline("Other %d" % n)
    k = 1000 if rate == 48000 else 1

    def clip(i):
        ref = o.schema.ExternalReference("media/take%%20%d.wav" % i, available_range=R(0, 900 * k))
        return o.schema.Clip("c%d" % i, ref, R(r.randint(20, 400) * k, r.randint(20, 300) * k))

    def fill(track, depth):
        last = None
        for i in range(r.randint(1, 5)):
            kind = r.random()
            if kind < 0.2:
                track.append(o.schema.Gap(source_range=R(0, r.randint(1, 90) * k)))
                last = None
            elif kind < 0.35 and depth < 2:
                inner = o.schema.Track("inner", kind="Audio")
                fill(inner, depth + 1)
                stack = o.schema.Stack("nest", children=[inner])
                whole = stack.available_range().duration.value
                cut = r.randint(0, int(whole) // 3)
                stack.source_range = R(cut, int(whole) - cut)
                track.append(stack)
                last = None
            else:
                c = clip(r.randint(0, 3))
                if last and r.random() < 0.4:
                    track.append(o.schema.Transition("x", "SMPTE_Dissolve", in_offset=T(5 * k), out_offset=T(6 * k)))
                track.append(c)
                last = c

    for t in range(r.randint(1, 3)):
        track = o.schema.Track("Track %d" % t, kind="Audio")
        fill(track, 0)
        timeline.tracks.append(track)
    video = o.schema.Track("Picture", kind="Video")
    video.append(o.schema.Gap(source_range=R(0, 10 * k)))
    timeline.tracks.append(video)
    path = os.path.join(folder, "%d.otio" % n)
    o.adapters.write_to_file(timeline, path)
    clips = []
    for t in timeline.tracks:
        if t.kind != "Audio":
            continue
        for c in t.find_clips():
            seen = c.trimmed_range()
            place = c.transformed_time_range(seen, t)
            # What a nest's own window cuts away is not heard.
            item, parent = c, c.parent()
            begin, end = place.start_time.value, place.start_time.value + place.duration.value
            while parent is not None and parent is not t:
                if parent.source_range is not None:
                    w = parent.transformed_time_range(parent.source_range, t)
                    begin = max(begin, w.start_time.value)
                    end = min(end, w.start_time.value + w.duration.value)
                parent = parent.parent()
            if end <= begin:
                continue
            around = {"in": 0, "out": 0}
            siblings = list(c.parent())
            i = siblings.index(c)
            if i > 0 and isinstance(siblings[i - 1], o.schema.Transition):
                around["in"] = siblings[i - 1].in_offset.value
            if i + 1 < len(siblings) and isinstance(siblings[i + 1], o.schema.Transition):
                around["out"] = siblings[i + 1].out_offset.value
            nested = c.parent() is not t
            clips.append(
                {
                    "track": t.name,
                    "name": c.name,
                    "begin": begin - (0 if nested else around["in"]),
                    "end": end + (0 if nested else around["out"]),
                    "offset": seen.start_time.value + (begin - place.start_time.value) - (0 if nested else around["in"]),
                    "fuzzy": nested and (around["in"] or around["out"]) > 0,
                    "rate": rate,
                }
            )
    return {"path": path, "clips": clips}


def midi(folder, n, r):
    import mido

    file = mido.MidiFile(type=1, ticks_per_beat=r.choice([96, 480, 960, 1000]))
    conductor = mido.MidiTrack()
    file.tracks.append(conductor)
    for _ in range(r.randint(1, 4)):
        conductor.append(mido.MetaMessage("set_tempo", tempo=r.randint(200000, 1200000), time=r.randint(0, 4) * file.ticks_per_beat))
    told = []
    for t in range(r.randint(1, 3)):
        track = mido.MidiTrack()
        track.append(mido.MetaMessage("track_name", name="Part %d" % t, time=0))
        notes = []
        for _ in range(r.randint(1, 30)):
            gap, length, pitch, velocity = r.randint(0, 900), r.randint(1, 900), r.randint(0, 127), r.randint(1, 127)
            begin = sum(m.time for m in track) + gap
            track.append(mido.Message("note_on", note=pitch, velocity=velocity, time=gap))
            track.append(mido.Message("note_on" if r.random() < 0.5 else "note_off", note=pitch, velocity=0, time=length))
            notes.append([begin, length, pitch, velocity])
        file.tracks.append(track)
        told.append({"name": "Part %d" % t, "notes": notes})
    path = os.path.join(folder, "%d.mid" % n)
    file.save(path)
    return {"path": path, "division": file.ticks_per_beat, "tracks": told}


WRITERS = {"aaf": aaf, "otio": otio, "midi": midi}

if __name__ == "__main__":
    kind, folder, count, seed = sys.argv[1:]
    os.makedirs(folder, exist_ok=True)
    json.dump([WRITERS[kind](folder, n, random.Random(int(seed) + n)) for n in range(int(count))], sys.stdout)
