// What the turntable needs of three.js, bundled once by refresh.sh.
export {
  AmbientLight, Box3, BufferAttribute, BufferGeometry, ClampToEdgeWrapping, Color, DirectionalLight, DoubleSide,
  EdgesGeometry, GridHelper, Group, HemisphereLight, LineBasicMaterial, LineDashedMaterial, LineSegments, Mesh,
  MeshLambertMaterial, MeshStandardMaterial, MirroredRepeatWrapping, NoColorSpace, OrthographicCamera,
  PerspectiveCamera, PMREMGenerator, Raycaster, RepeatWrapping, Scene,
  SphereGeometry, SRGBColorSpace, TextureLoader, Vector2, Vector3, WebGLRenderer,
} from "three";
export { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
