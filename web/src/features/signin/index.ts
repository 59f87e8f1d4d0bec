export { SignIn } from './SignIn'
