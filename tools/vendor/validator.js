// The glTF validator for the interop test. Never served by the application.
import * as v from "gltf-validator";
const api = v.default ?? v;
export const validateBytes = api.validateBytes;
