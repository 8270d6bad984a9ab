// General loaders, of which exports are asked a second opinion and tests another reading.
export * as THREE from "three";
export { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
export { FBXLoader } from "three/examples/jsm/loaders/FBXLoader.js";
export { OBJLoader } from "three/examples/jsm/loaders/OBJLoader.js";
export { MTLLoader } from "three/examples/jsm/loaders/MTLLoader.js";
export { ColladaLoader } from "three/examples/jsm/loaders/ColladaLoader.js";
export { PLYLoader } from "three/examples/jsm/loaders/PLYLoader.js";
export { STLLoader } from "three/examples/jsm/loaders/STLLoader.js";
export { USDLoader } from "three/examples/jsm/loaders/USDLoader.js";
