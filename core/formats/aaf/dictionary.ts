import type { Auid } from "./auid";
import { auidBytes } from "./auid";
import type { TypeModel } from "./model";
import { classes, types } from "./model";
import type { AafObject, Value } from "./objects";
import { utf16 } from "./objects";
import { auid, bool, int64, list, named, object, text, uint16, uint32, uint8 } from "./values";

/** Identifiers of what is defined outside of the model. AAF Object Specification, annex D; edit protocol, 6. */
export const SOUND: Auid = "01030202-0200-0000-060e-2b3404010101";
/** The same kind of data as files of earlier days name it. */
export const LEGACY_SOUND: Auid = "78e1ebe1-6cef-11d2-807d-006008143e6f";
export const TIMECODE: Auid = "01030201-0100-0000-060e-2b3404010101";
export const DESCRIPTIVE: Auid = "01030201-1000-0000-060e-2b3404010101";
export const AAF_CONTAINER: Auid = "4313b571-d8ba-11d2-809b-006008143e6f";
export const EXTERNAL_CONTAINER: Auid = "4313b572-d8ba-11d2-809b-006008143e6f";
export const MONO_GAIN: Auid = "9d2ea894-0968-11d3-8a38-0050040ef7d2";
export const STEREO_GAIN: Auid = "9d2ea895-0968-11d3-8a38-0050040ef7d2";
export const MONO_PAN: Auid = "9d2ea893-0968-11d3-8a38-0050040ef7d2";
export const MONO_DISSOLVE: Auid = "0c3bea41-fc05-11d2-8a29-0050040ef7d2";
export const STEREO_DISSOLVE: Auid = "0c3bea42-fc05-11d2-8a29-0050040ef7d2";
export const AMPLITUDE: Auid = "e4962321-2267-11d3-8a4c-0050040ef7d2";
export const PAN: Auid = "e4962322-2267-11d3-8a4c-0050040ef7d2";
export const LEVEL: Auid = "e4962320-2267-11d3-8a4c-0050040ef7d2";
export const LINEAR: Auid = "5b6c85a4-0ede-11d3-80a9-006008143e6f";
export const CONSTANT: Auid = "5b6c85a5-0ede-11d3-80a9-006008143e6f";
export const TOP_LEVEL: Auid = "0d010102-0101-0700-060e-2b3404010101";
/** Edit protocol, operational pattern. */
export const EDIT_PROTOCOL: Auid = "0d011201-0100-0000-060e-2b3404010105";

const definition = (of: string, id: Auid, name: string, more: AafObject["values"] = {}): AafObject =>
  object(of, { Identification: auid(id), Name: text(name), Description: text(""), ...more });

const operation = (id: Auid, name: string, inputs: number, parameters: readonly Auid[]): AafObject =>
  definition("OperationDefinition", id, name, {
    DataDefinition: named(SOUND),
    IsTimeWarp: bool(false),
    NumberInputs: uint32(inputs),
    ParametersDefined: { namesAll: parameters.map(auidBytes) },
  });

/** What the file names: kinds of data, containers, operations with their parameters, ways between points. */
export const dictionary: AafObject = object("Dictionary", {
  OperationDefinitions: list([
    operation(MONO_GAIN, "Mono Audio Gain", 1, [AMPLITUDE]),
    operation(STEREO_GAIN, "Stereo Audio Gain", 1, [AMPLITUDE]),
    operation(MONO_PAN, "Mono Audio Pan", 1, [PAN]),
    operation(MONO_DISSOLVE, "Mono Audio Dissolve", 2, [LEVEL]),
    operation(STEREO_DISSOLVE, "Stereo Audio Dissolve", 2, [LEVEL]),
  ]),
  ParameterDefinitions: list(
    (
      [
        [AMPLITUDE, "Amplitude"],
        [PAN, "Pan"],
        [LEVEL, "Level"],
      ] as const
    ).map(([id, name]) => definition("ParameterDefinition", id, name, { Type: named(types["Rational"]?.id ?? "") })),
  ),
  DataDefinitions: list([
    definition("DataDefinition", SOUND, "Sound"),
    definition("DataDefinition", TIMECODE, "Timecode"),
    definition("DataDefinition", DESCRIPTIVE, "Descriptive metadata"),
  ]),
  ContainerDefinitions: list([
    definition("ContainerDefinition", AAF_CONTAINER, "AAF"),
    definition("ContainerDefinition", EXTERNAL_CONTAINER, "External"),
  ]),
  InterpolationDefinitions: list([
    definition("InterpolationDefinition", LINEAR, "Linear"),
    definition("InterpolationDefinition", CONSTANT, "Constant"),
  ]),
});

const typeId = (name: string): Auid => types[name]?.id ?? "";
const classId = (name: string): Auid => classes[name]?.id ?? "";
const namesOf = (names: readonly string[]): Uint8Array => joined(names.map(utf16));

/** The model itself, as every file carries it. AAF Object Specification, meta-dictionary. */
export const metaDictionary: AafObject = object("MetaDictionary", {
  ClassDefinitions: list(
    Object.entries(classes).map(([name, { id, parent, concrete, properties }]) =>
      object("ClassDefinition", {
        Identification: auid(id),
        Name: text(name),
        // A class that has none above it names itself.
        ParentClass: named(parent === null ? id : classId(parent)),
        ...(properties.length > 0
          ? {
              Properties: list(
                properties.map((p) =>
                  object("PropertyDefinition", {
                    Identification: auid(p.id),
                    Name: text(p.name),
                    Type: auid(typeId(p.type)),
                    IsOptional: bool(p.optional),
                    LocalIdentification: uint16(p.pid),
                    ...(p.unique ? { IsUniqueIdentifier: bool(true) } : {}),
                  }),
                ),
              ),
            }
          : {}),
        IsConcrete: bool(concrete),
      }),
    ),
  ),
  TypeDefinitions: list(Object.entries(types).map(([name, type]) => typeDefinition(name, type))),
});

function typeDefinition(name: string, type: TypeModel & { readonly id: Auid }): AafObject {
  const made = (of: string, more: Readonly<Record<string, Value>>) =>
    object(`TypeDefinition${of}`, { Identification: auid(type.id), Name: text(name), ...more });
  switch (type.kind) {
    case "integer":
      return made("Integer", { Size: uint8(type.bytes), IsSigned: bool(type.signed) });
    case "enumeration":
      return made("Enumeration", {
        ElementType: named(typeId(type.of)),
        ElementNames: namesOf(type.elements.map(([n]) => n)),
        ElementValues: joined(type.elements.map(([, v]) => int64(v))),
      });
    case "extendible":
      return made("ExtendibleEnumeration", {
        ElementNames: namesOf(type.elements.map(([n]) => n)),
        ElementValues: joined(type.elements.map(([, v]) => auid(v))),
      });
    case "record":
      return made("Record", {
        MemberTypes: { namesAll: type.members.map(([, t]) => auidBytes(typeId(t))) },
        MemberNames: namesOf(type.members.map(([n]) => n)),
      });
    case "fixed array":
      return made("FixedArray", { ElementType: named(typeId(type.of)), ElementCount: uint32(type.count) });
    case "array":
      return made("VariableArray", { ElementType: named(typeId(type.of)) });
    case "set":
      return made("Set", { ElementType: named(typeId(type.of)) });
    case "string":
      return made("String", { ElementType: named(typeId(type.of)) });
    case "rename":
      return made("Rename", { RenamedType: named(typeId(type.of)) });
    case "strong reference":
      return made("StrongObjectReference", { ReferencedType: named(classId(type.to)) });
    case "weak reference":
      return made("WeakObjectReference", {
        ReferencedType: named(classId(type.to)),
        TargetSet: joined(type.path.map((id) => auid(id))),
      });
    case "stream":
      return made("Stream", {});
    case "indirect":
      return made("Indirect", {});
    case "opaque":
      return made("Opaque", {});
    case "character":
      return made("Character", {});
  }
}

function joined(parts: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}
