// What the turntable needs of three.js, bundled once by refresh.sh.
export {
  AmbientLight, Box3, BufferAttribute, BufferGeometry, Color, DirectionalLight, DoubleSide,
  EdgesGeometry, GridHelper, Group, HemisphereLight, LineBasicMaterial, LineSegments, Mesh,
  MeshLambertMaterial, OrthographicCamera, PerspectiveCamera, Raycaster, Scene, Vector2, Vector3,
  WebGLRenderer,
} from "three";
export { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
