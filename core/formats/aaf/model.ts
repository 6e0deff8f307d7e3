/* eslint-disable max-lines -- a table: the classes and properties of the standard with their numbers */
/**
 * The part of the object model that sound needs: every class with its properties, every type, under the names, numbers
 * and identifiers of the standard. Classes and types of pictures and the like are left out. AAF Object Specification
 * 1.1, annexes A and B; SMPTE ST 377-2 register.
 */

/** A property: name, identifier, number in a file, type, whether it may be missing, whether it tells objects apart. */
export interface PropertyModel {
  readonly name: string;
  readonly id: string;
  readonly pid: number;
  readonly type: string;
  readonly optional: boolean;
  readonly unique: boolean;
}

export interface ClassModel {
  readonly id: string;
  /** Null: it has none above it. */
  readonly parent: string | null;
  readonly concrete: boolean;
  readonly properties: readonly PropertyModel[];
}

export type TypeModel =
  | { readonly kind: "integer"; readonly bytes: number; readonly signed: boolean }
  | { readonly kind: "enumeration"; readonly of: string; readonly elements: readonly (readonly [string, number])[] }
  | { readonly kind: "extendible"; readonly elements: readonly (readonly [string, string])[] }
  | { readonly kind: "record"; readonly members: readonly (readonly [string, string])[] }
  | { readonly kind: "fixed array"; readonly of: string; readonly count: number }
  | { readonly kind: "array" | "set" | "rename" | "string"; readonly of: string }
  | { readonly kind: "strong reference"; readonly to: string }
  /** `path`: numbers of the properties that lead from the root to where its target stands. */
  | { readonly kind: "weak reference"; readonly to: string; readonly path: readonly string[] }
  | { readonly kind: "stream" | "indirect" | "opaque" | "character" };

const p = (name: string, id: string, pid: number, type: string, flags = ""): PropertyModel => ({
  name,
  id,
  pid,
  type,
  optional: flags.includes("o"),
  unique: flags.includes("u"),
});

export const classes: Readonly<Record<string, ClassModel>> = {
  InterchangeObject: {
    id: "0d010101-0101-0100-060e-2b3402060101",
    parent: null,
    concrete: false,
    properties: [
      p("ObjClass", "06010104-0101-0000-060e-2b3401010102", 0x0101, "ClassDefinitionWeakReference"),
      p("Generation", "05200701-0800-0000-060e-2b3401010102", 0x0102, "AUID", "o"),
    ],
  },
  Component: {
    id: "0d010101-0101-0200-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: false,
    properties: [
      p("DataDefinition", "04070100-0000-0000-060e-2b3401010102", 0x0201, "DataDefinitionWeakReference"),
      p("Length", "07020201-0103-0000-060e-2b3401010102", 0x0202, "LengthType", "o"),
      p("KLVData", "03010210-0400-0000-060e-2b3401010102", 0x0203, "KLVDataStrongReferenceVector", "o"),
      p("UserComments", "03020102-1600-0000-060e-2b3401010107", 0x0204, "TaggedValueStrongReferenceVector", "o"),
      p("Attributes", "03010210-0800-0000-060e-2b3401010107", 0x0205, "TaggedValueStrongReferenceVector", "o"),
    ],
  },
  Segment: {
    id: "0d010101-0101-0300-060e-2b3402060101",
    parent: "Component",
    concrete: false,
    properties: [],
  },
  Event: {
    id: "0d010101-0101-0600-060e-2b3402060101",
    parent: "Segment",
    concrete: false,
    properties: [
      p("Position", "07020103-0303-0000-060e-2b3401010102", 0x0601, "PositionType"),
      p("Comment", "05300404-0100-0000-060e-2b3401010102", 0x0602, "String", "o"),
    ],
  },
  CommentMarker: {
    id: "0d010101-0101-0800-060e-2b3402060101",
    parent: "Event",
    concrete: true,
    properties: [
      p("Annotation", "06010104-020a-0000-060e-2b3401010102", 0x0901, "SourceReferenceStrongReference", "o"),
    ],
  },
  Filler: {
    id: "0d010101-0101-0900-060e-2b3402060101",
    parent: "Segment",
    concrete: true,
    properties: [],
  },
  OperationGroup: {
    id: "0d010101-0101-0a00-060e-2b3402060101",
    parent: "Segment",
    concrete: true,
    properties: [
      p("Operation", "05300506-0000-0000-060e-2b3401010102", 0x0b01, "OperationDefinitionWeakReference"),
      p("InputSegments", "06010104-0602-0000-060e-2b3401010102", 0x0b02, "SegmentStrongReferenceVector", "o"),
      p("Parameters", "06010104-060a-0000-060e-2b3401010102", 0x0b03, "ParameterStrongReferenceVector", "o"),
      p("BypassOverride", "0530050c-0000-0000-060e-2b3401010102", 0x0b04, "UInt32", "o"),
      p("Rendering", "06010104-0206-0000-060e-2b3401010102", 0x0b05, "SourceReferenceStrongReference", "o"),
    ],
  },
  Sequence: {
    id: "0d010101-0101-0f00-060e-2b3402060101",
    parent: "Segment",
    concrete: true,
    properties: [p("Components", "06010104-0609-0000-060e-2b3401010102", 0x1001, "ComponentStrongReferenceVector")],
  },
  SourceReference: {
    id: "0d010101-0101-1000-060e-2b3402060101",
    parent: "Segment",
    concrete: false,
    properties: [
      p("SourceID", "06010103-0100-0000-060e-2b3401010102", 0x1101, "MobIDType", "o"),
      p("SourceMobSlotID", "06010103-0200-0000-060e-2b3401010102", 0x1102, "UInt32"),
      p("ChannelIDs", "06010103-0700-0000-060e-2b3401010107", 0x1103, "UInt32Array", "o"),
      p("MonoSourceSlotIDs", "06010103-0800-0000-060e-2b3401010108", 0x1104, "UInt32Array", "o"),
    ],
  },
  SourceClip: {
    id: "0d010101-0101-1100-060e-2b3402060101",
    parent: "SourceReference",
    concrete: true,
    properties: [
      p("StartTime", "07020103-0104-0000-060e-2b3401010102", 0x1201, "PositionType", "o"),
      p("FadeInLength", "07020201-0105-0200-060e-2b3401010102", 0x1202, "LengthType", "o"),
      p("FadeInType", "05300501-0000-0000-060e-2b3401010101", 0x1203, "FadeType", "o"),
      p("FadeOutLength", "07020201-0105-0300-060e-2b3401010102", 0x1204, "LengthType", "o"),
      p("FadeOutType", "05300502-0000-0000-060e-2b3401010101", 0x1205, "FadeType", "o"),
    ],
  },
  Timecode: {
    id: "0d010101-0101-1400-060e-2b3402060101",
    parent: "Segment",
    concrete: true,
    properties: [
      p("Start", "07020103-0105-0000-060e-2b3401010102", 0x1501, "PositionType"),
      p("FPS", "04040101-0206-0000-060e-2b3401010102", 0x1502, "UInt16"),
      p("Drop", "04040101-0500-0000-060e-2b3401010101", 0x1503, "Boolean"),
    ],
  },
  Transition: {
    id: "0d010101-0101-1700-060e-2b3402060101",
    parent: "Component",
    concrete: true,
    properties: [
      p("OperationGroup", "06010104-0205-0000-060e-2b3401010102", 0x1801, "OperationGroupStrongReference"),
      p("CutPoint", "07020103-0106-0000-060e-2b3401010102", 0x1802, "PositionType"),
    ],
  },
  ContentStorage: {
    id: "0d010101-0101-1800-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: true,
    properties: [
      p("Mobs", "06010104-0501-0000-060e-2b3401010102", 0x1901, "MobStrongReferenceSet"),
      p("EssenceData", "06010104-0502-0000-060e-2b3401010102", 0x1902, "EssenceDataStrongReferenceSet", "o"),
    ],
  },
  ControlPoint: {
    id: "0d010101-0101-1900-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: true,
    properties: [
      p("Value", "0530050d-0000-0000-060e-2b3401010102", 0x1a02, "Indirect"),
      p("Time", "07020103-1002-0100-060e-2b3401010102", 0x1a03, "Rational"),
      p("EditHint", "05300508-0000-0000-060e-2b3401010102", 0x1a04, "EditHintType", "o"),
    ],
  },
  DefinitionObject: {
    id: "0d010101-0101-1a00-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: false,
    properties: [
      p("Identification", "01011503-0000-0000-060e-2b3401010102", 0x1b01, "AUID", "u"),
      p("Name", "01070102-0301-0000-060e-2b3401010102", 0x1b02, "String"),
      p("Description", "03020301-0201-0000-060e-2b3401010102", 0x1b03, "String", "o"),
    ],
  },
  DataDefinition: {
    id: "0d010101-0101-1b00-060e-2b3402060101",
    parent: "DefinitionObject",
    concrete: true,
    properties: [],
  },
  OperationDefinition: {
    id: "0d010101-0101-1c00-060e-2b3402060101",
    parent: "DefinitionObject",
    concrete: true,
    properties: [
      p("DataDefinition", "05300509-0000-0000-060e-2b3401010102", 0x1e01, "DataDefinitionWeakReference"),
      p("IsTimeWarp", "05300503-0000-0000-060e-2b3401010101", 0x1e02, "Boolean", "o"),
      p("DegradeTo", "06010104-0401-0000-060e-2b3401010102", 0x1e03, "OperationDefinitionWeakReferenceVector", "o"),
      p("OperationCategory", "0530050a-0000-0000-060e-2b3401010102", 0x1e06, "OperationCategoryType", "o"),
      p("NumberInputs", "05300504-0000-0000-060e-2b3401010101", 0x1e07, "Int32"),
      p("Bypass", "05300505-0000-0000-060e-2b3401010101", 0x1e08, "UInt32", "o"),
      p(
        "ParametersDefined",
        "06010104-0302-0000-060e-2b3401010102",
        0x1e09,
        "ParameterDefinitionWeakReferenceSet",
        "o",
      ),
    ],
  },
  ParameterDefinition: {
    id: "0d010101-0101-1d00-060e-2b3402060101",
    parent: "DefinitionObject",
    concrete: true,
    properties: [
      p("Type", "06010104-0106-0000-060e-2b3401010102", 0x1f01, "TypeDefinitionWeakReference"),
      p("DisplayUnits", "0530050b-0100-0000-060e-2b3401010102", 0x1f03, "String", "o"),
    ],
  },
  PluginDefinition: {
    id: "0d010101-0101-1e00-060e-2b3402060101",
    parent: "DefinitionObject",
    concrete: true,
    properties: [
      p("PluginCategory", "05200901-0000-0000-060e-2b3401010102", 0x2203, "PluginCategoryType"),
      p("VersionNumber", "03030301-0300-0000-060e-2b3401010102", 0x2204, "VersionType"),
      p("VersionString", "03030301-0201-0000-060e-2b3401010102", 0x2205, "String", "o"),
      p("Manufacturer", "010a0101-0101-0000-060e-2b3401010102", 0x2206, "String", "o"),
      p("ManufacturerInfo", "06010104-020b-0000-060e-2b3401010102", 0x2207, "NetworkLocatorStrongReference", "o"),
      p("ManufacturerID", "010a0101-0300-0000-060e-2b3401010102", 0x2208, "AUID", "o"),
      p("Platform", "05200902-0000-0000-060e-2b3401010102", 0x2209, "AUID", "o"),
      p("MinPlatformVersion", "05200903-0000-0000-060e-2b3401010102", 0x220a, "VersionType", "o"),
      p("MaxPlatformVersion", "05200904-0000-0000-060e-2b3401010102", 0x220b, "VersionType", "o"),
      p("Engine", "05200905-0000-0000-060e-2b3401010102", 0x220c, "AUID", "o"),
      p("MinEngineVersion", "05200906-0000-0000-060e-2b3401010102", 0x220d, "VersionType", "o"),
      p("MaxEngineVersion", "05200907-0000-0000-060e-2b3401010102", 0x220e, "VersionType", "o"),
      p("PluginAPI", "05200908-0000-0000-060e-2b3401010102", 0x220f, "AUID", "o"),
      p("MinPluginAPI", "05200909-0000-0000-060e-2b3401010102", 0x2210, "VersionType", "o"),
      p("MaxPluginAPI", "0520090a-0000-0000-060e-2b3401010102", 0x2211, "VersionType", "o"),
      p("SoftwareOnly", "0520090b-0000-0000-060e-2b3401010102", 0x2212, "Boolean", "o"),
      p("Accelerator", "0520090c-0000-0000-060e-2b3401010102", 0x2213, "Boolean", "o"),
      p("Locators", "0520090d-0000-0000-060e-2b3401010102", 0x2214, "LocatorStrongReferenceVector", "o"),
      p("Authentication", "0520090e-0000-0000-060e-2b3401010102", 0x2215, "Boolean", "o"),
      p("DefinitionObject", "0520090f-0000-0000-060e-2b3401010102", 0x2216, "AUID", "o"),
    ],
  },
  CodecDefinition: {
    id: "0d010101-0101-1f00-060e-2b3402060101",
    parent: "DefinitionObject",
    concrete: true,
    properties: [
      p("FileDescriptorClass", "06010104-0107-0000-060e-2b3401010102", 0x2301, "ClassDefinitionWeakReference"),
      p("DataDefinitions", "06010104-0301-0000-060e-2b3401010102", 0x2302, "DataDefinitionWeakReferenceVector"),
    ],
  },
  ContainerDefinition: {
    id: "0d010101-0101-2000-060e-2b3402060101",
    parent: "DefinitionObject",
    concrete: true,
    properties: [p("EssenceIsIdentified", "03010201-0300-0000-060e-2b3401010101", 0x2401, "Boolean", "o")],
  },
  InterpolationDefinition: {
    id: "0d010101-0101-2100-060e-2b3402060101",
    parent: "DefinitionObject",
    concrete: true,
    properties: [],
  },
  Dictionary: {
    id: "0d010101-0101-2200-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: true,
    properties: [
      p(
        "OperationDefinitions",
        "06010104-0503-0000-060e-2b3401010102",
        0x2603,
        "OperationDefinitionStrongReferenceSet",
        "o",
      ),
      p(
        "ParameterDefinitions",
        "06010104-0504-0000-060e-2b3401010102",
        0x2604,
        "ParameterDefinitionStrongReferenceSet",
        "o",
      ),
      p("DataDefinitions", "06010104-0505-0000-060e-2b3401010102", 0x2605, "DataDefinitionStrongReferenceSet", "o"),
      p("PluginDefinitions", "06010104-0506-0000-060e-2b3401010102", 0x2606, "PluginDefinitionStrongReferenceSet", "o"),
      p("CodecDefinitions", "06010104-0507-0000-060e-2b3401010102", 0x2607, "CodecDefinitionStrongReferenceSet", "o"),
      p(
        "ContainerDefinitions",
        "06010104-0508-0000-060e-2b3401010102",
        0x2608,
        "ContainerDefinitionStrongReferenceSet",
        "o",
      ),
      p(
        "InterpolationDefinitions",
        "06010104-0509-0000-060e-2b3401010102",
        0x2609,
        "InterpolationDefinitionStrongReferenceSet",
        "o",
      ),
      p(
        "KLVDataDefinitions",
        "06010104-050a-0000-060e-2b3401010107",
        0x260a,
        "KLVDataDefinitionStrongReferenceSet",
        "o",
      ),
      p(
        "TaggedValueDefinitions",
        "06010104-050b-0000-060e-2b3401010107",
        0x260b,
        "TaggedValueDefinitionStrongReferenceSet",
        "o",
      ),
    ],
  },
  EssenceData: {
    id: "0d010101-0101-2300-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: true,
    properties: [
      p("MobID", "06010106-0100-0000-060e-2b3401010102", 0x2701, "MobIDType", "u"),
      p("Data", "04070200-0000-0000-060e-2b3401010102", 0x2702, "Stream"),
      p("SampleIndex", "06010102-0100-0000-060e-2b3401010102", 0x2b01, "Stream", "o"),
    ],
  },
  EssenceDescriptor: {
    id: "0d010101-0101-2400-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: false,
    properties: [p("Locator", "06010104-0603-0000-060e-2b3401010102", 0x2f01, "LocatorStrongReferenceVector", "o")],
  },
  FileDescriptor: {
    id: "0d010101-0101-2500-060e-2b3402060101",
    parent: "EssenceDescriptor",
    concrete: false,
    properties: [
      p("SampleRate", "04060101-0000-0000-060e-2b3401010101", 0x3001, "Rational"),
      p("Length", "04060102-0000-0000-060e-2b3401010101", 0x3002, "LengthType"),
      p("ContainerFormat", "06010104-0102-0000-060e-2b3401010102", 0x3004, "ContainerDefinitionWeakReference", "o"),
      p("CodecDefinition", "06010104-0103-0000-060e-2b3401010102", 0x3005, "CodecDefinitionWeakReference", "o"),
      p("LinkedSlotID", "06010103-0500-0000-060e-2b3401010105", 0x3006, "UInt32", "o"),
    ],
  },
  WAVEDescriptor: {
    id: "0d010101-0101-2c00-060e-2b3402060101",
    parent: "FileDescriptor",
    concrete: true,
    properties: [p("Summary", "03030302-0100-0000-060e-2b3401010102", 0x3801, "DataValue")],
  },
  Header: {
    id: "0d010101-0101-2f00-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: true,
    properties: [
      p("ByteOrder", "03010201-0200-0000-060e-2b3401010101", 0x3b01, "Int16"),
      p("LastModified", "07020110-0204-0000-060e-2b3401010102", 0x3b02, "TimeStamp"),
      p("Content", "06010104-0201-0000-060e-2b3401010102", 0x3b03, "ContentStorageStrongReference"),
      p("Dictionary", "06010104-0202-0000-060e-2b3401010102", 0x3b04, "DictionaryStrongReference"),
      p("Version", "03010201-0500-0000-060e-2b3401010102", 0x3b05, "VersionType"),
      p("IdentificationList", "06010104-0604-0000-060e-2b3401010102", 0x3b06, "IdentificationStrongReferenceVector"),
      p("ObjectModelVersion", "03010201-0400-0000-060e-2b3401010102", 0x3b07, "UInt32", "o"),
      p("PrimaryMob", "06010104-0108-0000-060e-2b3401010104", 0x3b08, "MobWeakReference", "o"),
      p("OperationalPattern", "01020203-0000-0000-060e-2b3401010105", 0x3b09, "AUID", "o"),
      p("EssenceContainers", "01020210-0201-0000-060e-2b3401010105", 0x3b0a, "AUIDSet", "o"),
      p("DescriptiveSchemes", "01020210-0202-0000-060e-2b3401010105", 0x3b0b, "AUIDSet", "o"),
    ],
  },
  Identification: {
    id: "0d010101-0101-3000-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: true,
    properties: [
      p("CompanyName", "05200701-0201-0000-060e-2b3401010102", 0x3c01, "String"),
      p("ProductName", "05200701-0301-0000-060e-2b3401010102", 0x3c02, "String"),
      p("ProductVersion", "05200701-0400-0000-060e-2b3401010102", 0x3c03, "ProductVersion", "o"),
      p("ProductVersionString", "05200701-0501-0000-060e-2b3401010102", 0x3c04, "String"),
      p("ProductID", "05200701-0700-0000-060e-2b3401010102", 0x3c05, "AUID"),
      p("Date", "07020110-0203-0000-060e-2b3401010102", 0x3c06, "TimeStamp"),
      p("ToolkitVersion", "05200701-0a00-0000-060e-2b3401010102", 0x3c07, "ProductVersion", "o"),
      p("Platform", "05200701-0601-0000-060e-2b3401010102", 0x3c08, "String", "o"),
      p("GenerationAUID", "05200701-0100-0000-060e-2b3401010102", 0x3c09, "AUID"),
    ],
  },
  Locator: {
    id: "0d010101-0101-3100-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: false,
    properties: [],
  },
  NetworkLocator: {
    id: "0d010101-0101-3200-060e-2b3402060101",
    parent: "Locator",
    concrete: true,
    properties: [p("URLString", "01020101-0100-0000-060e-2b3401010101", 0x4001, "String")],
  },
  Mob: {
    id: "0d010101-0101-3400-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: false,
    properties: [
      p("MobID", "01011510-0000-0000-060e-2b3401010101", 0x4401, "MobIDType", "u"),
      p("Name", "01030302-0100-0000-060e-2b3401010101", 0x4402, "String", "o"),
      p("Slots", "06010104-0605-0000-060e-2b3401010102", 0x4403, "MobSlotStrongReferenceVector"),
      p("LastModified", "07020110-0205-0000-060e-2b3401010102", 0x4404, "TimeStamp"),
      p("CreationTime", "07020110-0103-0000-060e-2b3401010102", 0x4405, "TimeStamp"),
      p("UserComments", "03020102-0c00-0000-060e-2b3401010102", 0x4406, "TaggedValueStrongReferenceVector", "o"),
      p("KLVData", "03010210-0300-0000-060e-2b3401010102", 0x4407, "KLVDataStrongReferenceVector", "o"),
      p("Attributes", "03010210-0700-0000-060e-2b3401010107", 0x4409, "TaggedValueStrongReferenceVector", "o"),
      p("UsageCode", "05010108-0000-0000-060e-2b3401010107", 0x4408, "UsageType", "o"),
    ],
  },
  CompositionMob: {
    id: "0d010101-0101-3500-060e-2b3402060101",
    parent: "Mob",
    concrete: true,
    properties: [
      p("DefaultFadeLength", "07020201-0105-0100-060e-2b3401010102", 0x4501, "LengthType", "o"),
      p("DefFadeType", "05300201-0000-0000-060e-2b3401010101", 0x4502, "FadeType", "o"),
      p("DefFadeEditUnit", "05300403-0000-0000-060e-2b3401010102", 0x4503, "Rational", "o"),
      p("Rendering", "06010104-010a-0000-060e-2b3401010108", 0x4504, "MobIDType", "o"),
    ],
  },
  MasterMob: {
    id: "0d010101-0101-3600-060e-2b3402060101",
    parent: "Mob",
    concrete: true,
    properties: [],
  },
  SourceMob: {
    id: "0d010101-0101-3700-060e-2b3402060101",
    parent: "Mob",
    concrete: true,
    properties: [
      p("EssenceDescription", "06010104-0203-0000-060e-2b3401010102", 0x4701, "EssenceDescriptorStrongReference"),
    ],
  },
  MobSlot: {
    id: "0d010101-0101-3800-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: false,
    properties: [
      p("SlotID", "01070101-0000-0000-060e-2b3401010102", 0x4801, "UInt32"),
      p("SlotName", "01070102-0100-0000-060e-2b3401010102", 0x4802, "String", "o"),
      p("Segment", "06010104-0204-0000-060e-2b3401010102", 0x4803, "SegmentStrongReference"),
      p("PhysicalTrackNumber", "01040103-0000-0000-060e-2b3401010102", 0x4804, "UInt32", "o"),
    ],
  },
  EventMobSlot: {
    id: "0d010101-0101-3900-060e-2b3402060101",
    parent: "MobSlot",
    concrete: true,
    properties: [
      p("EditRate", "05300402-0000-0000-060e-2b3401010102", 0x4901, "Rational"),
      p("EventSlotOrigin", "07020103-010b-0000-060e-2b3401010105", 0x4902, "PositionType", "o"),
    ],
  },
  TimelineMobSlot: {
    id: "0d010101-0101-3b00-060e-2b3402060101",
    parent: "MobSlot",
    concrete: true,
    properties: [
      p("EditRate", "05300405-0000-0000-060e-2b3401010102", 0x4b01, "Rational"),
      p("Origin", "07020103-0103-0000-060e-2b3401010102", 0x4b02, "PositionType"),
      p("MarkIn", "07020103-010c-0000-060e-2b3401010107", 0x4b03, "PositionType", "o"),
      p("MarkOut", "07020103-0203-0000-060e-2b3401010107", 0x4b04, "PositionType", "o"),
      p("UserPos", "07020103-010d-0000-060e-2b3401010107", 0x4b05, "PositionType", "o"),
    ],
  },
  Parameter: {
    id: "0d010101-0101-3c00-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: false,
    properties: [p("Definition", "06010104-0104-0000-060e-2b3401010102", 0x4c01, "AUID")],
  },
  ConstantValue: {
    id: "0d010101-0101-3d00-060e-2b3402060101",
    parent: "Parameter",
    concrete: true,
    properties: [p("Value", "05300507-0000-0000-060e-2b3401010102", 0x4d01, "Indirect")],
  },
  VaryingValue: {
    id: "0d010101-0101-3e00-060e-2b3402060101",
    parent: "Parameter",
    concrete: true,
    properties: [
      p("Interpolation", "06010104-0105-0000-060e-2b3401010102", 0x4e01, "InterpolationDefinitionWeakReference"),
      p("PointList", "06010104-0606-0000-060e-2b3401010102", 0x4e02, "ControlPointStrongReferenceVector"),
    ],
  },
  TaggedValue: {
    id: "0d010101-0101-3f00-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: true,
    properties: [
      p("Name", "03020102-0901-0000-060e-2b3401010102", 0x5001, "String"),
      p("Value", "03020102-0a01-0000-060e-2b3401010102", 0x5003, "Indirect"),
    ],
  },
  KLVData: {
    id: "0d010101-0101-4000-060e-2b3402060101",
    parent: "InterchangeObject",
    concrete: true,
    properties: [p("Value", "03010210-0200-0000-060e-2b3401010102", 0x5101, "Opaque")],
  },
  SoundDescriptor: {
    id: "0d010101-0101-4200-060e-2b3402060101",
    parent: "FileDescriptor",
    concrete: true,
    properties: [
      p("AudioSamplingRate", "04020301-0101-0000-060e-2b3401010105", 0x3d03, "Rational"),
      p("Locked", "04020301-0400-0000-060e-2b3401010104", 0x3d02, "Boolean", "o"),
      p("AudioRefLevel", "04020101-0300-0000-060e-2b3401010101", 0x3d04, "Int8", "o"),
      p("ElectroSpatial", "04020101-0100-0000-060e-2b3401010101", 0x3d05, "ElectroSpatialFormulation", "o"),
      p("Channels", "04020101-0400-0000-060e-2b3401010105", 0x3d07, "UInt32"),
      p("QuantizationBits", "04020303-0400-0000-060e-2b3401010104", 0x3d01, "UInt32"),
      p("DialNorm", "04020701-0000-0000-060e-2b3401010105", 0x3d0c, "Int8", "o"),
      p("Compression", "04020402-0000-0000-060e-2b3401010102", 0x3d06, "AUID", "o"),
    ],
  },
  PCMDescriptor: {
    id: "0d010101-0101-4800-060e-2b3402060101",
    parent: "SoundDescriptor",
    concrete: true,
    properties: [
      p("BlockAlign", "04020302-0100-0000-060e-2b3401010105", 0x3d0a, "UInt16"),
      p("SequenceOffset", "04020302-0200-0000-060e-2b3401010105", 0x3d0b, "UInt8", "o"),
      p("AverageBPS", "04020303-0500-0000-060e-2b3401010105", 0x3d09, "UInt32"),
      p("ChannelAssignment", "04020101-0500-0000-060e-2b3401010107", 0x3d32, "AUID", "o"),
      p("PeakEnvelopeVersion", "04020301-0600-0000-060e-2b3401010108", 0x3d29, "UInt32", "o"),
      p("PeakEnvelopeFormat", "04020301-0700-0000-060e-2b3401010108", 0x3d2a, "UInt32", "o"),
      p("PointsPerPeakValue", "04020301-0800-0000-060e-2b3401010108", 0x3d2b, "UInt32", "o"),
      p("PeakEnvelopeBlockSize", "04020301-0900-0000-060e-2b3401010108", 0x3d2c, "UInt32", "o"),
      p("PeakChannels", "04020301-0a00-0000-060e-2b3401010108", 0x3d2d, "UInt32", "o"),
      p("PeakFrames", "04020301-0b00-0000-060e-2b3401010108", 0x3d2e, "UInt32", "o"),
      p("PeakOfPeaksPosition", "04020301-0c00-0000-060e-2b3401010108", 0x3d2f, "PositionType", "o"),
      p("PeakEnvelopeTimestamp", "04020301-0d00-0000-060e-2b3401010108", 0x3d30, "TimeStamp", "o"),
      p("PeakEnvelopeData", "04020301-0e00-0000-060e-2b3401010108", 0x3d31, "Stream", "o"),
    ],
  },
  TaggedValueDefinition: {
    id: "0d010101-0101-4c00-060e-2b3402060101",
    parent: "DefinitionObject",
    concrete: true,
    properties: [],
  },
  KLVDataDefinition: {
    id: "0d010101-0101-4d00-060e-2b3402060101",
    parent: "DefinitionObject",
    concrete: true,
    properties: [p("KLVDataType", "06010104-0109-0000-060e-2b3401010107", 0x4d12, "TypeDefinitionWeakReference", "o")],
  },
  ClassDefinition: {
    id: "0d010101-0201-0000-060e-2b3402060101",
    parent: "MetaDefinition",
    concrete: true,
    properties: [
      p("ParentClass", "06010107-0100-0000-060e-2b3401010102", 0x0008, "ClassDefinitionWeakReference"),
      p("Properties", "06010107-0200-0000-060e-2b3401010102", 0x0009, "PropertyDefinitionStrongReferenceSet", "o"),
      p("IsConcrete", "06010107-0300-0000-060e-2b3401010102", 0x000a, "Boolean"),
    ],
  },
  PropertyDefinition: {
    id: "0d010101-0202-0000-060e-2b3402060101",
    parent: "MetaDefinition",
    concrete: true,
    properties: [
      p("Type", "06010107-0400-0000-060e-2b3401010102", 0x000b, "AUID"),
      p("IsOptional", "03010202-0100-0000-060e-2b3401010102", 0x000c, "Boolean"),
      p("LocalIdentification", "06010107-0500-0000-060e-2b3401010102", 0x000d, "UInt16"),
      p("IsUniqueIdentifier", "06010107-0600-0000-060e-2b3401010102", 0x000e, "Boolean", "o"),
    ],
  },
  TypeDefinition: {
    id: "0d010101-0203-0000-060e-2b3402060101",
    parent: "MetaDefinition",
    concrete: false,
    properties: [],
  },
  TypeDefinitionInteger: {
    id: "0d010101-0204-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [
      p("Size", "03010203-0100-0000-060e-2b3401010102", 0x000f, "UInt8"),
      p("IsSigned", "03010203-0200-0000-060e-2b3401010102", 0x0010, "Boolean"),
    ],
  },
  TypeDefinitionStrongObjectReference: {
    id: "0d010101-0205-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [p("ReferencedType", "06010107-0900-0000-060e-2b3401010102", 0x0011, "ClassDefinitionWeakReference")],
  },
  TypeDefinitionWeakObjectReference: {
    id: "0d010101-0206-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [
      p("ReferencedType", "06010107-0a00-0000-060e-2b3401010102", 0x0012, "ClassDefinitionWeakReference"),
      p("TargetSet", "03010203-0b00-0000-060e-2b3401010102", 0x0013, "AUIDArray"),
    ],
  },
  TypeDefinitionEnumeration: {
    id: "0d010101-0207-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [
      p("ElementType", "06010107-0b00-0000-060e-2b3401010102", 0x0014, "TypeDefinitionWeakReference"),
      p("ElementNames", "03010203-0400-0000-060e-2b3401010102", 0x0015, "StringArray"),
      p("ElementValues", "03010203-0500-0000-060e-2b3401010102", 0x0016, "Int64Array"),
    ],
  },
  TypeDefinitionFixedArray: {
    id: "0d010101-0208-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [
      p("ElementType", "06010107-0c00-0000-060e-2b3401010102", 0x0017, "TypeDefinitionWeakReference"),
      p("ElementCount", "03010203-0300-0000-060e-2b3401010102", 0x0018, "UInt32"),
    ],
  },
  TypeDefinitionVariableArray: {
    id: "0d010101-0209-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [p("ElementType", "06010107-0d00-0000-060e-2b3401010102", 0x0019, "TypeDefinitionWeakReference")],
  },
  TypeDefinitionSet: {
    id: "0d010101-020a-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [p("ElementType", "06010107-0e00-0000-060e-2b3401010102", 0x001a, "TypeDefinitionWeakReference")],
  },
  TypeDefinitionString: {
    id: "0d010101-020b-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [p("ElementType", "06010107-0f00-0000-060e-2b3401010102", 0x001b, "TypeDefinitionWeakReference")],
  },
  TypeDefinitionStream: {
    id: "0d010101-020c-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [],
  },
  TypeDefinitionRecord: {
    id: "0d010101-020d-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [
      p("MemberTypes", "06010107-1100-0000-060e-2b3401010102", 0x001c, "TypeDefinitionWeakReferenceVector"),
      p("MemberNames", "03010203-0600-0000-060e-2b3401010102", 0x001d, "StringArray"),
    ],
  },
  TypeDefinitionRename: {
    id: "0d010101-020e-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [p("RenamedType", "06010107-1200-0000-060e-2b3401010102", 0x001e, "TypeDefinitionWeakReference")],
  },
  TypeDefinitionExtendibleEnumeration: {
    id: "0d010101-0220-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [
      p("ElementNames", "03010203-0700-0000-060e-2b3401010102", 0x001f, "StringArray"),
      p("ElementValues", "03010203-0800-0000-060e-2b3401010102", 0x0020, "AUIDArray"),
    ],
  },
  TypeDefinitionIndirect: {
    id: "0d010101-0221-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [],
  },
  TypeDefinitionOpaque: {
    id: "0d010101-0222-0000-060e-2b3402060101",
    parent: "TypeDefinitionIndirect",
    concrete: true,
    properties: [],
  },
  TypeDefinitionCharacter: {
    id: "0d010101-0223-0000-060e-2b3402060101",
    parent: "TypeDefinition",
    concrete: true,
    properties: [],
  },
  MetaDefinition: {
    id: "0d010101-0224-0000-060e-2b3402060101",
    parent: null,
    concrete: false,
    properties: [
      p("Identification", "06010107-1300-0000-060e-2b3401010102", 0x0005, "AUID", "u"),
      p("Name", "03020401-0201-0000-060e-2b3401010102", 0x0006, "String"),
      p("Description", "06010107-1401-0000-060e-2b3401010102", 0x0007, "String", "o"),
    ],
  },
  MetaDictionary: {
    id: "0d010101-0225-0000-060e-2b3402060101",
    parent: null,
    concrete: true,
    properties: [
      p("ClassDefinitions", "06010107-0700-0000-060e-2b3401010102", 0x0003, "ClassDefinitionStrongReferenceSet", "o"),
      p("TypeDefinitions", "06010107-0800-0000-060e-2b3401010102", 0x0004, "TypeDefinitionStrongReferenceSet", "o"),
    ],
  },
};

/** Every type by its name, with its identifier. */
export const types: Readonly<Record<string, TypeModel & { readonly id: string }>> = {
  UInt8: { id: "01010100-0000-0000-060e-2b3401040101", kind: "integer", bytes: 1, signed: false },
  UInt16: { id: "01010200-0000-0000-060e-2b3401040101", kind: "integer", bytes: 2, signed: false },
  UInt32: { id: "01010300-0000-0000-060e-2b3401040101", kind: "integer", bytes: 4, signed: false },
  Int8: { id: "01010500-0000-0000-060e-2b3401040101", kind: "integer", bytes: 1, signed: true },
  Int16: { id: "01010600-0000-0000-060e-2b3401040101", kind: "integer", bytes: 2, signed: true },
  Int32: { id: "01010700-0000-0000-060e-2b3401040101", kind: "integer", bytes: 4, signed: true },
  Int64: { id: "01010800-0000-0000-060e-2b3401040101", kind: "integer", bytes: 8, signed: true },
  PositionType: { id: "01012001-0000-0000-060e-2b3401040101", kind: "rename", of: "Int64" },
  LengthType: { id: "01012002-0000-0000-060e-2b3401040101", kind: "rename", of: "Int64" },
  AUID: {
    id: "01030100-0000-0000-060e-2b3401040101",
    kind: "record",
    members: [
      ["Data1", "UInt32"],
      ["Data2", "UInt16"],
      ["Data3", "UInt16"],
      ["Data4", "UInt8Array8"],
    ],
  },
  MobIDType: {
    id: "01030200-0000-0000-060e-2b3401040101",
    kind: "record",
    members: [
      ["SMPTELabel", "UInt8Array12"],
      ["length", "UInt8"],
      ["instanceHigh", "UInt8"],
      ["instanceMid", "UInt8"],
      ["instanceLow", "UInt8"],
      ["material", "AUID"],
    ],
  },
  Boolean: {
    id: "01040100-0000-0000-060e-2b3401040101",
    kind: "enumeration",
    of: "UInt8",
    elements: [
      ["False", 0],
      ["True", 1],
    ],
  },
  Character: { id: "01100100-0000-0000-060e-2b3401040101", kind: "character" },
  String: { id: "01100200-0000-0000-060e-2b3401040101", kind: "string", of: "Character" },
  ProductReleaseType: {
    id: "02010101-0000-0000-060e-2b3401040101",
    kind: "enumeration",
    of: "UInt8",
    elements: [
      ["VersionUnknown", 0],
      ["VersionReleased", 1],
      ["VersionDebug", 2],
      ["VersionPatched", 3],
      ["VersionBeta", 4],
      ["VersionPrivateBuild", 5],
    ],
  },
  EditHintType: {
    id: "02010106-0000-0000-060e-2b3401040101",
    kind: "enumeration",
    of: "UInt8",
    elements: [
      ["NoEditHint", 0],
      ["Proportional", 1],
      ["RelativeLeft", 2],
      ["RelativeRight", 3],
      ["RelativeFixed", 4],
    ],
  },
  FadeType: {
    id: "02010107-0000-0000-060e-2b3401040101",
    kind: "enumeration",
    of: "UInt8",
    elements: [
      ["FadeNone", 0],
      ["FadeLinearAmp", 1],
      ["FadeLinearPower", 2],
    ],
  },
  ElectroSpatialFormulation: {
    id: "02010122-0000-0000-060e-2b3401040101",
    kind: "enumeration",
    of: "UInt8",
    elements: [
      ["ElectroSpatialFormulation_Default", 0],
      ["ElectroSpatialFormulation_TwoChannelMode", 1],
      ["ElectroSpatialFormulation_SingleChannelMode", 2],
      ["ElectroSpatialFormulation_PrimarySecondaryMode", 3],
      ["ElectroSpatialFormulation_StereophonicMode", 4],
      ["ElectroSpatialFormulation_SingleChannelDoubleSamplingFrequencyMode", 7],
      ["ElectroSpatialFormulation_StereoLeftChannelDoubleSamplingFrequencyMode", 8],
      ["ElectroSpatialFormulation_StereoRightChannelDoubleSamplingFrequencyMode", 9],
      ["ElectroSpatialFormulation_MultiChannelMode", 15],
    ],
  },
  OperationCategoryType: {
    id: "02020101-0000-0000-060e-2b3401040101",
    kind: "extendible",
    elements: [["OperationCategory_Effect", "0d010102-0101-0100-060e-2b3404010101"]],
  },
  PluginCategoryType: {
    id: "02020103-0000-0000-060e-2b3401040101",
    kind: "extendible",
    elements: [
      ["PluginCategory_Effect", "0d010102-0101-0200-060e-2b3404010101"],
      ["PluginCategory_Codec", "0d010102-0101-0300-060e-2b3404010101"],
      ["PluginCategory_Interpolation", "0d010102-0101-0400-060e-2b3404010101"],
    ],
  },
  UsageType: {
    id: "02020104-0000-0000-060e-2b3401040101",
    kind: "extendible",
    elements: [
      ["Usage_SubClip", "0d010102-0101-0500-060e-2b3404010101"],
      ["Usage_AdjustedClip", "0d010102-0101-0600-060e-2b3404010101"],
      ["Usage_TopLevel", "0d010102-0101-0700-060e-2b3404010101"],
      ["Usage_LowerLevel", "0d010102-0101-0800-060e-2b3404010101"],
      ["Usage_Template", "0d010102-0101-0900-060e-2b3404010101"],
    ],
  },
  Rational: {
    id: "03010100-0000-0000-060e-2b3401040101",
    kind: "record",
    members: [
      ["Numerator", "Int32"],
      ["Denominator", "Int32"],
    ],
  },
  ProductVersion: {
    id: "03010200-0000-0000-060e-2b3401040101",
    kind: "record",
    members: [
      ["major", "UInt16"],
      ["minor", "UInt16"],
      ["tertiary", "UInt16"],
      ["patchLevel", "UInt16"],
      ["type", "ProductReleaseType"],
    ],
  },
  VersionType: {
    id: "03010300-0000-0000-060e-2b3401040101",
    kind: "record",
    members: [
      ["major", "Int8"],
      ["minor", "Int8"],
    ],
  },
  DateStruct: {
    id: "03010500-0000-0000-060e-2b3401040101",
    kind: "record",
    members: [
      ["year", "Int16"],
      ["month", "UInt8"],
      ["day", "UInt8"],
    ],
  },
  TimeStruct: {
    id: "03010600-0000-0000-060e-2b3401040101",
    kind: "record",
    members: [
      ["hour", "UInt8"],
      ["minute", "UInt8"],
      ["second", "UInt8"],
      ["fraction", "UInt8"],
    ],
  },
  TimeStamp: {
    id: "03010700-0000-0000-060e-2b3401040101",
    kind: "record",
    members: [
      ["date", "DateStruct"],
      ["time", "TimeStruct"],
    ],
  },
  UInt8Array12: { id: "04010200-0000-0000-060e-2b3401040101", kind: "fixed array", of: "UInt8", count: 12 },
  Int64Array: { id: "04010400-0000-0000-060e-2b3401040101", kind: "array", of: "Int64" },
  StringArray: { id: "04010500-0000-0000-060e-2b3401040101", kind: "array", of: "Character" },
  AUIDArray: { id: "04010600-0000-0000-060e-2b3401040101", kind: "array", of: "AUID" },
  UInt8Array8: { id: "04010800-0000-0000-060e-2b3401040101", kind: "fixed array", of: "UInt8", count: 8 },
  UInt32Array: { id: "04010900-0000-0000-060e-2b3401040101", kind: "array", of: "UInt32" },
  AUIDSet: { id: "04030100-0000-0000-060e-2b3401040101", kind: "set", of: "AUID" },
  DataValue: { id: "04100100-0000-0000-060e-2b3401040101", kind: "array", of: "UInt8" },
  Stream: { id: "04100200-0000-0000-060e-2b3401040101", kind: "stream" },
  Indirect: { id: "04100300-0000-0000-060e-2b3401040101", kind: "indirect" },
  Opaque: { id: "04100400-0000-0000-060e-2b3401040101", kind: "opaque" },
  ClassDefinitionWeakReference: {
    id: "05010100-0000-0000-060e-2b3401040101",
    kind: "weak reference",
    to: "ClassDefinition",
    path: ["0d010301-0101-0100-060e-2b3401010102", "06010107-0700-0000-060e-2b3401010102"],
  },
  ContainerDefinitionWeakReference: {
    id: "05010200-0000-0000-060e-2b3401040101",
    kind: "weak reference",
    to: "ContainerDefinition",
    path: [
      "0d010301-0102-0100-060e-2b3401010102",
      "06010104-0202-0000-060e-2b3401010102",
      "06010104-0508-0000-060e-2b3401010102",
    ],
  },
  DataDefinitionWeakReference: {
    id: "05010300-0000-0000-060e-2b3401040101",
    kind: "weak reference",
    to: "DataDefinition",
    path: [
      "0d010301-0102-0100-060e-2b3401010102",
      "06010104-0202-0000-060e-2b3401010102",
      "06010104-0505-0000-060e-2b3401010102",
    ],
  },
  InterpolationDefinitionWeakReference: {
    id: "05010500-0000-0000-060e-2b3401040101",
    kind: "weak reference",
    to: "InterpolationDefinition",
    path: [
      "0d010301-0102-0100-060e-2b3401010102",
      "06010104-0202-0000-060e-2b3401010102",
      "06010104-0509-0000-060e-2b3401010102",
    ],
  },
  MobWeakReference: {
    id: "05010600-0000-0000-060e-2b3401040101",
    kind: "weak reference",
    to: "Mob",
    path: [
      "0d010301-0102-0100-060e-2b3401010102",
      "06010104-0201-0000-060e-2b3401010102",
      "06010104-0501-0000-060e-2b3401010102",
    ],
  },
  OperationDefinitionWeakReference: {
    id: "05010700-0000-0000-060e-2b3401040101",
    kind: "weak reference",
    to: "OperationDefinition",
    path: [
      "0d010301-0102-0100-060e-2b3401010102",
      "06010104-0202-0000-060e-2b3401010102",
      "06010104-0503-0000-060e-2b3401010102",
    ],
  },
  ParameterDefinitionWeakReference: {
    id: "05010800-0000-0000-060e-2b3401040101",
    kind: "weak reference",
    to: "ParameterDefinition",
    path: [
      "0d010301-0102-0100-060e-2b3401010102",
      "06010104-0202-0000-060e-2b3401010102",
      "06010104-0504-0000-060e-2b3401010102",
    ],
  },
  TypeDefinitionWeakReference: {
    id: "05010900-0000-0000-060e-2b3401040101",
    kind: "weak reference",
    to: "TypeDefinition",
    path: ["0d010301-0101-0100-060e-2b3401010102", "06010107-0800-0000-060e-2b3401010102"],
  },
  CodecDefinitionWeakReference: {
    id: "05010b00-0000-0000-060e-2b3401040101",
    kind: "weak reference",
    to: "CodecDefinition",
    path: [
      "0d010301-0102-0100-060e-2b3401010102",
      "06010104-0202-0000-060e-2b3401010102",
      "06010104-0507-0000-060e-2b3401010102",
    ],
  },
  ContentStorageStrongReference: {
    id: "05020100-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "ContentStorage",
  },
  DictionaryStrongReference: { id: "05020200-0000-0000-060e-2b3401040101", kind: "strong reference", to: "Dictionary" },
  EssenceDescriptorStrongReference: {
    id: "05020300-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "EssenceDescriptor",
  },
  NetworkLocatorStrongReference: {
    id: "05020400-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "NetworkLocator",
  },
  OperationGroupStrongReference: {
    id: "05020500-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "OperationGroup",
  },
  SegmentStrongReference: { id: "05020600-0000-0000-060e-2b3401040101", kind: "strong reference", to: "Segment" },
  SourceReferenceStrongReference: {
    id: "05020800-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "SourceReference",
  },
  ClassDefinitionStrongReference: {
    id: "05020900-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "ClassDefinition",
  },
  CodecDefinitionStrongReference: {
    id: "05020a00-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "CodecDefinition",
  },
  ComponentStrongReference: { id: "05020b00-0000-0000-060e-2b3401040101", kind: "strong reference", to: "Component" },
  ContainerDefinitionStrongReference: {
    id: "05020c00-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "ContainerDefinition",
  },
  ControlPointStrongReference: {
    id: "05020d00-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "ControlPoint",
  },
  DataDefinitionStrongReference: {
    id: "05020e00-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "DataDefinition",
  },
  EssenceDataStrongReference: {
    id: "05020f00-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "EssenceData",
  },
  IdentificationStrongReference: {
    id: "05021000-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "Identification",
  },
  InterpolationDefinitionStrongReference: {
    id: "05021100-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "InterpolationDefinition",
  },
  LocatorStrongReference: { id: "05021200-0000-0000-060e-2b3401040101", kind: "strong reference", to: "Locator" },
  MobStrongReference: { id: "05021300-0000-0000-060e-2b3401040101", kind: "strong reference", to: "Mob" },
  MobSlotStrongReference: { id: "05021400-0000-0000-060e-2b3401040101", kind: "strong reference", to: "MobSlot" },
  OperationDefinitionStrongReference: {
    id: "05021500-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "OperationDefinition",
  },
  ParameterStrongReference: { id: "05021600-0000-0000-060e-2b3401040101", kind: "strong reference", to: "Parameter" },
  ParameterDefinitionStrongReference: {
    id: "05021700-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "ParameterDefinition",
  },
  PluginDefinitionStrongReference: {
    id: "05021800-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "PluginDefinition",
  },
  PropertyDefinitionStrongReference: {
    id: "05021900-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "PropertyDefinition",
  },
  TaggedValueStrongReference: {
    id: "05021a00-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "TaggedValue",
  },
  TypeDefinitionStrongReference: {
    id: "05021b00-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "TypeDefinition",
  },
  KLVDataStrongReference: { id: "05021c00-0000-0000-060e-2b3401040101", kind: "strong reference", to: "KLVData" },
  KLVDataDefinitionStrongReference: {
    id: "05022000-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "KLVDataDefinition",
  },
  TaggedValueDefinitionStrongReference: {
    id: "05022100-0000-0000-060e-2b3401040101",
    kind: "strong reference",
    to: "TaggedValueDefinition",
  },
  ParameterDefinitionWeakReferenceSet: {
    id: "05030e00-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "ParameterDefinitionWeakReference",
  },
  OperationDefinitionWeakReferenceVector: {
    id: "05040100-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "OperationDefinitionWeakReference",
  },
  TypeDefinitionWeakReferenceVector: {
    id: "05040200-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "TypeDefinitionWeakReference",
  },
  DataDefinitionWeakReferenceVector: {
    id: "05040300-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "DataDefinitionWeakReference",
  },
  ClassDefinitionStrongReferenceSet: {
    id: "05050100-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "ClassDefinitionStrongReference",
  },
  CodecDefinitionStrongReferenceSet: {
    id: "05050200-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "CodecDefinitionStrongReference",
  },
  ContainerDefinitionStrongReferenceSet: {
    id: "05050300-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "ContainerDefinitionStrongReference",
  },
  DataDefinitionStrongReferenceSet: {
    id: "05050400-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "DataDefinitionStrongReference",
  },
  EssenceDataStrongReferenceSet: {
    id: "05050500-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "EssenceDataStrongReference",
  },
  InterpolationDefinitionStrongReferenceSet: {
    id: "05050600-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "InterpolationDefinitionStrongReference",
  },
  MobStrongReferenceSet: { id: "05050700-0000-0000-060e-2b3401040101", kind: "set", of: "MobStrongReference" },
  OperationDefinitionStrongReferenceSet: {
    id: "05050800-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "OperationDefinitionStrongReference",
  },
  ParameterDefinitionStrongReferenceSet: {
    id: "05050900-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "ParameterDefinitionStrongReference",
  },
  PluginDefinitionStrongReferenceSet: {
    id: "05050a00-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "PluginDefinitionStrongReference",
  },
  PropertyDefinitionStrongReferenceSet: {
    id: "05050b00-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "PropertyDefinitionStrongReference",
  },
  TypeDefinitionStrongReferenceSet: {
    id: "05050c00-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "TypeDefinitionStrongReference",
  },
  KLVDataDefinitionStrongReferenceSet: {
    id: "05050d00-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "KLVDataDefinitionStrongReference",
  },
  TaggedValueDefinitionStrongReferenceSet: {
    id: "05050e00-0000-0000-060e-2b3401040101",
    kind: "set",
    of: "TaggedValueDefinitionStrongReference",
  },
  ComponentStrongReferenceVector: {
    id: "05060100-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "ComponentStrongReference",
  },
  ControlPointStrongReferenceVector: {
    id: "05060200-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "ControlPointStrongReference",
  },
  IdentificationStrongReferenceVector: {
    id: "05060300-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "IdentificationStrongReference",
  },
  LocatorStrongReferenceVector: {
    id: "05060400-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "LocatorStrongReference",
  },
  MobSlotStrongReferenceVector: {
    id: "05060500-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "MobSlotStrongReference",
  },
  SegmentStrongReferenceVector: {
    id: "05060600-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "SegmentStrongReference",
  },
  TaggedValueStrongReferenceVector: {
    id: "05060800-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "TaggedValueStrongReference",
  },
  KLVDataStrongReferenceVector: {
    id: "05060900-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "KLVDataStrongReference",
  },
  ParameterStrongReferenceVector: {
    id: "05060a00-0000-0000-060e-2b3401040101",
    kind: "array",
    of: "ParameterStrongReference",
  },
};
