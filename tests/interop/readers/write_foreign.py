"""Writes session files that hold what a session here cannot, with libraries that are not ours, and says what it planted.

Usage: write_foreign.py KIND FOLDER COUNT SEED ; KIND is aaf, otio, midi, dawproject or adl. On standard output: one
object a file, with its path and the names of what was planted. Each plant is drawn with even chances.
"""
import json
import os
import random
import sys
import xml.etree.ElementTree as xml
import zipfile

RATE = 48000


class Plants:
    def __init__(self, r):
        self.r = r
        self.names = []

    def __call__(self, name):
        if self.r.random() < 0.4:
            self.names.append(name)
            return True
        return False


def otio(folder, n, r):
    import opentimelineio as o

    plant = Plants(r)
    T = lambda v: o.opentime.RationalTime(v, 48000)
    R = lambda a, b: o.opentime.TimeRange(T(a), T(b))
    timeline = o.schema.Timeline("Foreign %d" % n)
    track = o.schema.Track("Vox", kind="Audio")
    for i in range(3):
        track.append(
            o.schema.Clip(
                "clip %d" % i,
                o.schema.ExternalReference("media/a%d.wav" % i, available_range=R(0, 480000)),
                R(r.randint(0, 9999), r.randint(20000, 99999)),
            )
        )
    first, second, third = track[0], track[1], track[2]
    if plant("marker on track"):
        track.markers.append(o.schema.Marker("here", R(100, 0)))
    if plant("marker on clip"):
        first.markers.append(o.schema.Marker("there", R(100, 0)))
    if plant("effect on track"):
        track.effects.append(o.schema.Effect("Air", "Equaliser"))
    if plant("effect on clip"):
        first.effects.append(o.schema.Effect("Grit", "Distortion"))
    if plant("effect on all"):
        timeline.tracks.effects.append(o.schema.Effect("Glue", "Compressor"))
    if plant("speed of clip"):
        third.effects.append(o.schema.LinearTimeWarp("slow", time_scalar=0.5))
    if plant("frozen clip"):
        third.effects.append(o.schema.FreezeFrame("still"))
    if plant("generated clip"):
        track.append(o.schema.Clip("tone", o.schema.GeneratorReference("beep", "tone", R(0, 4800)), R(0, 4800)))
    if plant("clip switched off"):
        second.enabled = False
    if plant("picture track"):
        video = o.schema.Track("Picture", kind="Video")
        video.append(o.schema.Clip("shot", o.schema.ExternalReference("media/shot.mov", R(0, 480000)), R(0, 48000)))
        timeline.tracks.append(video)
    if plant("words of another program"):
        first.metadata["elsewhere"] = {"take": 3}
    if plant("words about the timeline"):
        timeline.metadata["elsewhere"] = {"client": "x"}
    if plant("another version of the media"):
        first.set_media_references(
            {
                "DEFAULT_MEDIA": first.media_reference,
                "small": o.schema.ExternalReference("media/small.wav", available_range=R(0, 480000)),
            },
            "DEFAULT_MEDIA",
        )
    if plant("marker with a length"):
        timeline.tracks.markers.append(o.schema.Marker("chorus", R(4800, 48000)))
    if plant("marker with words"):
        timeline.tracks.markers.append(o.schema.Marker("verse", R(9600, 0), metadata={"elsewhere": {"text": "louder"}}))
    track.append(o.schema.Clip("last", o.schema.ExternalReference("media/z.wav", R(0, 480000)), R(0, 48000)))
    timeline.tracks.insert(0, track)
    path = os.path.join(folder, "%d.otio" % n)
    o.adapters.write_to_file(timeline, path)
    return {"path": path, "planted": plant.names}


def midi(folder, n, r):
    import mido

    plant = Plants(r)
    file = mido.MidiFile(type=1, ticks_per_beat=480)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("track_name", name="Keys"))
    events = {
        "controller": lambda: mido.Message("control_change", control=r.choice([1, 7, 10, 11, 74]), value=r.randint(0, 127)),
        "bend": lambda: mido.Message("pitchwheel", pitch=r.randint(-8000, 8000)),
        "program": lambda: mido.Message("program_change", program=r.randint(1, 127)),
        "aftertouch": lambda: mido.Message("aftertouch", value=r.randint(1, 127)),
        "aftertouch of a key": lambda: mido.Message("polytouch", note=60, value=r.randint(1, 127)),
        "system exclusive": lambda: mido.Message("sysex", data=[r.randint(0, 127) for _ in range(5)]),
        "key signature": lambda: mido.MetaMessage("key_signature", key=r.choice(["D", "F#m", "Bb"])),
        "lyrics": lambda: mido.MetaMessage("lyrics", text="la"),
        "text": lambda: mido.MetaMessage("text", text="softer"),
        "copyright": lambda: mido.MetaMessage("copyright", text="2026 Elsewhere"),
        "sequencer's own": lambda: mido.MetaMessage("sequencer_specific", data=(1, 2, 3)),
        "release velocity": lambda: mido.Message("note_off", note=61, velocity=r.randint(1, 63)),
    }
    for i in range(4):
        track.append(mido.Message("note_on", note=60 + i, velocity=80, time=120))
        for name, make in events.items():
            if name == "release velocity" and i != 1:
                continue
            if name not in plant.names and plant(name):
                track.append(make())
        if not (i == 1 and "release velocity" in plant.names):
            track.append(mido.Message("note_off", note=60 + i, velocity=64, time=100))
    path = os.path.join(folder, "%d.mid" % n)
    file.save(path)
    return {"path": path, "planted": plant.names}


def dawproject(folder, n, r):
    plant = Plants(r)
    E = xml.SubElement
    root = xml.Element("Project", version="1.0")
    E(root, "Application", name="Elsewhere", version="1")
    transport = E(root, "Transport")
    E(transport, "Tempo", id="tempo", value="120", unit="bpm")
    structure = E(root, "Structure")
    track = E(structure, "Track", id="t", name="Vox", contentType="audio")
    channel = E(track, "Channel", id="c", role="regular", destination="m")
    keys = E(structure, "Track", id="k", name="Keys", contentType="notes")
    E(keys, "Channel", id="kc", role="regular", destination="m")
    main = E(structure, "Track", id="mt", name="Main", contentType="audio notes")
    E(main, "Channel", id="m", role="master")
    lanes = E(E(root, "Arrangement"), "Lanes", timeUnit="seconds")
    clips = E(E(lanes, "Lanes", track="t"), "Clips")
    audio = lambda clip: E(
        E(clip, "Audio", sampleRate="48000", channels="2", duration="10"), "File", path="a.wav"
    )
    first = E(clips, "Clip", time="0", duration="1", name="one")
    second = E(clips, "Clip", time="2", duration="1", name="two")
    notes = E(E(E(E(lanes, "Lanes", track="k"), "Clips"), "Clip", time="0", duration="2"), "Notes")
    note = E(notes, "Note", time="0", duration="1", key="60", vel="0.5")
    if plant("colour"):
        track.set("color", "#aabbcc")
    if plant("comment"):
        track.set("comment", "sing softer")
    if plant("solo"):
        channel.set("solo", "true")
    if plant("release velocity"):
        note.set("rel", "0.25")
    if plant("expression in a note"):
        points = E(note, "Points")
        E(points, "Target", expression="pressure")
        E(points, "RealPoint", time="0", value="0.5", interpolation="linear")
    if plant("expression of a clip"):
        inner = E(second, "Lanes")
        audio(inner)
        points = E(inner, "Points")
        E(points, "Target", expression="transpose")
        E(points, "RealPoint", time="0", value="2", interpolation="linear")
    else:
        audio(second)
    audio(first)
    if plant("device of elsewhere"):
        E(E(channel, "Devices"), "Vst3Plugin", deviceName="Shine", deviceRole="audioFX", deviceID="x")
    if plant("device automation"):
        points = E(E(lanes, "Lanes", track="t"), "Points")
        E(points, "Target", parameter="no-such-parameter")
        E(points, "RealPoint", time="0", value="0.5", interpolation="linear")
    if plant("send that is switched off"):
        send = E(E(channel, "Sends"), "Send", destination="m")
        E(send, "Enable", value="false")
        E(send, "Volume", value="0.5", unit="linear")
    if plant("control group"):
        E(E(structure, "Track", id="v", name="All", contentType="tracks"), "Channel", id="vc", role="vca")
    if plant("scenes"):
        E(E(E(root, "Scenes"), "Scene", name="A"), "Lanes")
    if plant("picture"):
        clip = E(clips, "Clip", time="8", duration="1", name="shot")
        E(E(clip, "Video", sampleRate="48000", channels="2", duration="10"), "File", path="shot.mov")
    if plant("faded around several"):
        outer = E(clips, "Clip", time="12", duration="4", name="both", fadeTimeUnit="seconds", fadeInTime="0.5")
        inside = E(outer, "Clips")
        for at in ("0.5", "2"):
            audio(E(inside, "Clip", time=at, duration="1"))
    path = os.path.join(folder, "%d.dawproject" % n)
    with zipfile.ZipFile(path, "w") as z:
        z.writestr("project.xml", xml.tostring(root, encoding="unicode"))
        z.writestr("metadata.xml", "<MetaData/>")
    return {"path": path, "planted": plant.names}


def adl(folder, n, r):
    plant = Plants(r)
    tcf = lambda frames: "%02d:%02d:%02d:%02d/%04d" % (0, 0, frames // RATE, frames % RATE // 1920, frames % 1920)
    out = [
        "<ADL>",
        "<VERSION>",
        '\t(ADL_ID)\t"06,64,43,52,01,01,04,01,02,03,04,05"',
        '\t(ADL_UID)\t1c1f3d4e-0000-4000-8000-0000000000%02d' % n,
        '\t(VER_ADL_VERSION)\t"01"',
        '\t(VER_CREATOR)\t"Elsewhere"',
        '\t(VER_CRTR)\t"1"',
        "</VERSION>",
        "<PROJECT>",
        '\t(PROJ_TITLE)\t"Foreign"',
    ]
    if plant("notes of the project"):
        out.append('\t(PROJ_NOTES)\t"mix by Friday"')
    out += [
        "</PROJECT>",
        "<SYSTEM>",
        '\t(SYS_SRC_OFFSET)\t0',
        "</SYSTEM>",
        "<SEQUENCE>",
        '\t(SEQ_SAMPLE_RATE)\tS48000',
        "\t(SEQ_FRAME_RATE)\t25",
        "\t(SEQ_DEST_START)\t00:00:00:00/0000",
        "</SEQUENCE>",
        "<TRACKLIST>",
        '\t(Track)\t1\t"Vox"',
        "</TRACKLIST>",
        "<SOURCE_INDEX>",
        '\t(Index)\t0001\t(F)\t"URL:file://localhost/Disk/a.wav"\t_\t00:00:00:00/0000\t00:00:10:00/0000\t"a"\tN',
        "</SOURCE_INDEX>",
        "<EVENT_LIST>",
    ]
    for i in range(3):
        at = (1 + 3 * i) * RATE
        out.append("\t(Entry)\t%04d\t(Cut)\tI\t0001\t1\t1\t%s\t%s\t%s\tR" % (i + 1, tcf(RATE), tcf(at), tcf(at + 2 * RATE)))
        if i == 0 and plant("curved fade"):
            out.append("\t\t(Infade)\t%s\tCURVE\t_\t_\t_" % tcf(4800))
        if i == 1 and plant("unknown event"):
            out.append("\t\t(Wobble)\t3")
        if i == 2 and plant("remark"):
            out.append('\t\t(Rem)\tMOOD\t"dark"')
    out.append("</EVENT_LIST>")
    if plant("faders that move"):
        out += ["<FADER_LIST>", "\t(FP)\t1\t00:00:01:00/0000\t-6.0", "\t(FP)\t1\t00:00:02:00/0000\t-3.0", "</FADER_LIST>"]
    if plant("markers"):
        out += ["<MARKER_LIST>", '\t(Marker)\t1\t00:00:01:00/0000\t"Chorus"', "</MARKER_LIST>"]
    out.append("</ADL>")
    path = os.path.join(folder, "%d.adl" % n)
    with open(path, "w", newline="") as f:
        f.write("\r\n".join(out) + "\r\n")
    return {"path": path, "planted": plant.names}


def aaf(folder, n, r):
    import aaf2
    from aaf2.rational import AAFRational

    plant = Plants(r)
    path = os.path.join(folder, "%d.aaf" % n)
    with aaf2.open(path, "w") as f:
        def operation(auid, name, inputs=1):
            made = f.create.OperationDef(auid, name)
            made.media_kind = "sound"
            made["NumberInputs"].value = inputs
            made["IsTimeWarp"].value = False
            f.dictionary.register_def(made)
            return made

        equaliser = operation("1575e350-fca3-11d2-8a2a-0050040ef7d2", "Somebody's equaliser")
        pan = operation("9d2ea893-0968-11d3-8a38-0050040ef7d2", "Mono Audio Pan")
        pan_value = f.create.ParameterDef("e4962322-2267-11d3-8a4c-0050040ef7d2", "Pan", "", "Rational")
        f.dictionary.register_def(pan_value)
        master = f.create.MasterMob("a")
        f.content.mobs.append(master)
        source = f.create.SourceMob("a")
        descriptor = f.create.PCMDescriptor()
        for key, value in {
            "SampleRate": RATE, "AudioSamplingRate": RATE, "Channels": 1, "AverageBPS": RATE * 2,
            "QuantizationBits": 16, "BlockAlign": 2, "Length": 480000,
        }.items():
            descriptor[key].value = value
        locator = f.create.NetworkLocator()
        locator["URLString"].value = "file:///Disk/a.wav"
        descriptor["Locator"].append(locator)
        source.descriptor = descriptor
        f.content.mobs.append(source)
        s = source.create_timeline_slot(RATE)
        nothing = f.create.SourceClip(media_kind="sound")
        nothing.length = 480000
        s.segment = nothing
        m = master.create_timeline_slot(RATE)
        m.segment = source.create_source_clip(s.slot_id, 0, 480000, "sound")
        comp = f.create.CompositionMob("Foreign %d" % n)
        comp.usage = "Usage_TopLevel"
        f.content.mobs.append(comp)
        slot = comp.create_timeline_slot(RATE)
        slot.name = "Vox"
        sequence = f.create.Sequence("sound")
        clip = lambda: master.create_source_clip(m.slot_id, 4800, 48000, "sound")
        sequence.components.append(clip())
        length = 48000

        def add(segment):
            nonlocal length
            sequence.components.append(segment)
            length += 48000

        def around(op, segment):
            group = f.create.OperationGroup(op, 48000)
            group.media_kind = "sound"
            group.segments.append(segment)
            return group

        if plant("effect on clip"):
            add(around(equaliser, clip()))
        if plant("pan of a clip"):
            group = around(pan, clip())
            group.parameters.append(f.create.ConstantValue(pan_value, AAFRational(1, 4)))
            add(group)
        if plant("another take"):
            selector = f.create.Selector()
            selector.media_kind = "sound"
            selector.length = 48000
            selector["Selected"].value = clip()
            selector["Alternates"].append(clip())
            add(selector)
        if plant("layers in a scope"):
            scope = f.create.NestedScope()
            scope.media_kind = "sound"
            scope.length = 48000
            scope["Slots"].append(clip())
            scope["Slots"].append(clip())
            add(scope)
        if plant("another version of the media"):
            group = f.create.EssenceGroup()
            group.media_kind = "sound"
            group.length = 48000
            group["Choices"].append(clip())
            group["Choices"].append(clip())
            add(group)
        sequence.length = length
        segment = sequence
        if plant("effect on track"):
            segment = f.create.OperationGroup(equaliser, length)
            segment.media_kind = "sound"
            segment.segments.append(sequence)
        slot.segment = segment
        if plant("picture track"):
            picture = comp.create_timeline_slot(AAFRational(25, 1))
            picture.name = "Picture"
            shots = f.create.Sequence("picture")
            shots.components.append(f.create.Filler("picture", 100))
            shots.length = 100
            picture.segment = shots
        if plant("another composition"):
            other = f.create.CompositionMob("Second")
            other.usage = "Usage_TopLevel"
            f.content.mobs.append(other)
            o = other.create_timeline_slot(RATE)
            o.segment = master.create_source_clip(m.slot_id, 0, 48000, "sound")
        if plant("comment"):
            comp.comments["Director"] = "louder"
    return {"path": path, "planted": plant.names}


WRITERS = {"aaf": aaf, "otio": otio, "midi": midi, "dawproject": dawproject, "adl": adl}

if __name__ == "__main__":
    kind, folder, count, seed = sys.argv[1:]
    os.makedirs(folder, exist_ok=True)
    json.dump([WRITERS[kind](folder, n, random.Random(int(seed) + n)) for n in range(int(count))], sys.stdout)
