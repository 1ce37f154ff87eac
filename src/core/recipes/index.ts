export { accessArguments, type AccessInput } from './access';
