export { OtherFilmScreen as default } from '../../features/kit/other-film-screen';
