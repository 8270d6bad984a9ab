// Independent readers for the interop test. Never served by the application.
export * as THREE from "three";
export { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
export { FBXLoader } from "three/examples/jsm/loaders/FBXLoader.js";
export { OBJLoader } from "three/examples/jsm/loaders/OBJLoader.js";
export { MTLLoader } from "three/examples/jsm/loaders/MTLLoader.js";
