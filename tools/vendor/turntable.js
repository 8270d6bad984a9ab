// What the turntable needs of three.js, bundled once by refresh.sh.
export {
  AmbientLight, BackSide, Box3, BufferAttribute, BufferGeometry, CircleGeometry, ClampToEdgeWrapping, Color,
  DirectionalLight, DoubleSide,
  EdgesGeometry, GridHelper, Group, HemisphereLight, LineBasicMaterial, LineDashedMaterial, LineSegments, Mesh,
  MeshBasicMaterial, MeshLambertMaterial, MeshStandardMaterial, MirroredRepeatWrapping, NoColorSpace, OrthographicCamera,
  PerspectiveCamera, PMREMGenerator, Points, PointsMaterial, ShaderMaterial, NormalBlending, Raycaster, RepeatWrapping, Scene,
  CanvasTexture, Sphere, SphereGeometry, SRGBColorSpace, TextureLoader, Vector2, Vector3, WebGLRenderer,
} from "three";
export { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
