export { ShotListScreen as default } from '../../features/setups/shot-list-screen';
