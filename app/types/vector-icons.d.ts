// React Native Elements imports the types of a package that it does not need at run time.
declare module 'react-native-vector-icons/Icon' {
  import type { ComponentType } from 'react';
  export interface IconProps {
    name: string;
    size?: number;
    color?: string;
  }
  export interface IconButtonProps extends IconProps {
    onPress?: () => void;
  }
  export const Icon: ComponentType<IconProps>;
}
declare module '*.ttf' {
  const asset: number;
  export default asset;
}
